"""What one stroke moves: loops over the nodes under a brush."""

import math

import numpy as np

from lather.core.loops import loop

PLAIN = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
"""Where it is painted; a mirrored stroke acts through the map to the other side as well."""


@loop(inline=True)
def _falloff(r, radius, inner):
    if r <= inner:
        return 1.0
    t = (radius - r) / (radius - inner)
    return t * t * (3.0 - 2.0 * t)


@loop("f4[:, :, ::1], f4[:, ::1], f8, f8, f8[:, ::1], f8[:, ::1], b1, f8, f8[:, ::1], f8[:, ::1], f8")
def carry_along(own, held, dx, dy, touches, ways, radial, edge, there, back, far):
    """Move the material that lies under each touch, and so what was moved before goes on with the brush.

    own: (rows + 1, columns + 1, 2) px moved so far by this stroke, changed in place. held: 0-1 on the nodes.
    touches (n, 5): x, y, radius, flow, ceiling (share of the radius that one stroke moves at most). ways (n, 2): how
    far each touch goes, px; radial: ways[n, 0] is the share by which places move away from its middle. edge: 0-1.
    there, back: (2, 3) maps to where it acts, and from there. far: px that anything was moved so
    far at most. Nothing leaves or enters across the frame's border.
    """
    rows, columns = own.shape[0] - 1, own.shape[1] - 1
    right, bottom = columns * dx, rows * dy
    wide = max(math.hypot(there[0, 0], there[1, 0]), math.hypot(there[0, 1], there[1, 1]))
    for n in range(touches.shape[0]):
        cx, cy, radius, flow = touches[n, 0], touches[n, 1], max(touches[n, 2], 1.0), touches[n, 3]
        most = max(touches[n, 4] * radius, 1e-3)
        inner = radius * (1.0 - max(edge, 0.5))
        x, y = there[0, 0] * cx + there[0, 1] * cy + there[0, 2], there[1, 0] * cx + there[1, 1] * cy + there[1, 2]
        reach = wide * (radius + min(far, most))
        i0, i1 = max(0, int((x - reach) / dx)), min(columns, int((x + reach) / dx) + 1)
        j0, j1 = max(0, int((y - reach) / dy)), min(rows, int((y + reach) / dy) + 1)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                ou, ov = own[j, i, 0], own[j, i, 1]
                px, py = i * dx + ou, j * dy + ov
                rx = back[0, 0] * px + back[0, 1] * py + back[0, 2] - cx
                ry = back[1, 0] * px + back[1, 1] * py + back[1, 2] - cy
                r = math.hypot(rx, ry)
                if r >= radius:
                    continue
                share = flow * _falloff(r, radius, inner) * (1.0 - held[j, i])
                wx, wy = ways[n, 0], ways[n, 1]
                if radial:
                    wx, wy = wx * rx, ways[n, 0] * ry
                bu, bv = back[0, 0] * ou + back[0, 1] * ov, back[1, 0] * ou + back[1, 1] * ov
                if wx * bu + wy * bv > 0.0:  # what comes back is not held up
                    share *= max(0.0, 1.0 - math.hypot(bu, bv) / most)
                wx, wy = share * wx, share * wy
                before, now = math.hypot(bu, bv), math.hypot(bu + wx, bv + wy)
                if now > most and now > before:
                    wx, wy = (bu + wx) * most / now - bu, (bv + wy) * most / now - bv
                mu, mv = there[0, 0] * wx + there[0, 1] * wy, there[1, 0] * wx + there[1, 1] * wy
                near = min(1.0, max(0.0, min(i * dx, right - i * dx) / radius))
                own[j, i, 0] = ou + mu * near * near * (3.0 - 2.0 * near)
                near = min(1.0, max(0.0, min(j * dy, bottom - j * dy) / radius))
                own[j, i, 1] = ov + mv * near * near * (3.0 - 2.0 * near)


@loop("f4[:, ::1], f8, f8, f8[:, ::1], f8, f8, f8[:, ::1], f8[:, ::1]")
def cover(coverage, dx, dy, touches, edge, more, there, back):
    """Lay touches onto coverage on the nodes, changed in place. more: px by which each reaches further, whole."""
    rows, columns = coverage.shape[0] - 1, coverage.shape[1] - 1
    wide = max(math.hypot(there[0, 0], there[1, 0]), math.hypot(there[0, 1], there[1, 1]))
    for n in range(touches.shape[0]):
        cx, cy, radius, flow, ceiling = touches[n, 0], touches[n, 1], touches[n, 2], touches[n, 3], touches[n, 4]
        inner = max(0.0, min(radius * (1.0 - edge), radius - max(dx, dy))) + more
        radius = radius + more
        x, y = there[0, 0] * cx + there[0, 1] * cy + there[0, 2], there[1, 0] * cx + there[1, 1] * cy + there[1, 2]
        i0, i1 = max(0, int((x - wide * radius) / dx)), min(columns, int((x + wide * radius) / dx) + 1)
        j0, j1 = max(0, int((y - wide * radius) / dy)), min(rows, int((y + wide * radius) / dy) + 1)
        for j in range(j0, j1 + 1):
            for i in range(i0, i1 + 1):
                px, py = i * dx, j * dy
                rx = back[0, 0] * px + back[0, 1] * py + back[0, 2] - cx
                ry = back[1, 0] * px + back[1, 1] * py + back[1, 2] - cy
                r = math.hypot(rx, ry)
                if r >= radius:
                    continue
                before = coverage[j, i]
                grown = min(before + flow * _falloff(r, radius, inner) * (1.0 - before), ceiling)
                if grown > 0.999:
                    grown = 1.0
                if grown > before:
                    coverage[j, i] = grown


def turned_back(there: np.ndarray) -> np.ndarray:
    """The inverse (2, 3) of a map."""
    linear = np.linalg.inv(there[:, :2])
    return np.column_stack([linear, -linear @ there[:, 2]])


@loop("f8[:, ::1], f8[:, :], f8[:, ::1], f8")
def pulled(places, anchors, ways, reach_px):
    """Moves (n, 2) px at places (n, 2): those of the anchors (m, 2), less and less within a reach around each.

    At an anchor it is the whole of its way (m, 2). One that has no way of its own stays where it is.
    """
    out = np.zeros(places.shape, np.float64)
    count = anchors.shape[0]
    going = np.empty(count, np.bool_)
    for k in range(count):
        going[k] = math.hypot(ways[k, 0], ways[k, 1]) > 0.0
    apart = np.full(count, reach_px)
    for k in range(count):
        for m in range(count):
            if not going[k] and going[m]:
                apart[k] = min(apart[k], 0.9 * math.hypot(anchors[k, 0] - anchors[m, 0], anchors[k, 1] - anchors[m, 1]))
    for n in range(places.shape[0]):
        total_x, total_y, weights, away, free = 0.0, 0.0, 1e-12, 1.0, 1.0
        for k in range(count):
            dx, dy = places[n, 0] - anchors[k, 0], places[n, 1] - anchors[k, 1]
            share = (dx * dx + dy * dy) / max(apart[k] * apart[k], 1e-12)
            if share >= 1.0:
                continue
            near = (1.0 - share) * (1.0 - share)
            if going[k]:
                total_x += near * near * ways[k, 0]
                total_y += near * near * ways[k, 1]
                weights += near * near
                away *= 1.0 - near
            else:
                free *= 1.0 - near
        out[n, 0] = free * (1.0 - away) * total_x / weights
        out[n, 1] = free * (1.0 - away) * total_y / weights
    return out


def stretched(places: np.ndarray, corners: np.ndarray, start: np.ndarray, end: np.ndarray, least_px: float
              ) -> np.ndarray:
    """Moves (…, 2) px of a piece (corners (n, 2)) one edge of which is drawn from start to end.

    The piece gives evenly; drawn outwards, what lies before it is pressed together on a third more than the way, so
    that what comes after stays. least_px: sideways it fades over no less.
    """
    way = end - start
    length = float(np.hypot(*way))
    if length < 1e-6:
        return np.zeros(places.shape)
    along = way / length
    across = np.array([-along[1], along[0]])
    on, off = corners @ along, corners @ across
    low, high = float(on.min()), float(on.max())
    at, aside = places @ along, places @ across
    size = max(high - low, 1e-6)
    if start @ along >= (low + high) / 2:
        share = np.interp(at, [low, high, high + _BEFORE * length], [0, 1, 0])
    else:
        share = np.interp(at, [low - 2 * length, low, low + size], [0, 1, 0])
    fade = max(2 * length, _SIDEWAYS * float(np.ptp(off)), least_px)
    out = np.maximum(np.maximum(float(off.min()) - aside, aside - float(off.max())), 0) / fade
    side = np.clip(1 - out, 0, 1)
    return (share * side * side * (3 - 2 * side))[..., None] * way


_BEFORE, _SIDEWAYS = 1.36, 0.12
"""Of the way, and of the piece: pressed to a quarter at most."""


def expect_loops() -> None:
    """In a thread that may wait: what the window asks for when a measure is set."""
    for one in (carry_along, cover, pulled):
        one.expect()
