"""From pen points to touches, and from touches to coverage.

One touch with profile f(r) lays down flow·f; coverage within a stroke builds as c ← c + flow·f·(1 − c)
and is limited by the ceiling. Touches are spaced at 10 % of the size (never under 1 px), so that a stroke
does not depend on pointer speed.
"""

import numpy as np

from lather.core.brush.values import BUILD_UP_TOUCHES_PER_S, LEAST_PRESSURE_SHARE, TOUCH_SPACING, Brush
from lather.core.loops import loop
from lather.core.types import EMPTY, Rect

# Walker state: x, y, pressure, seconds of the last point; distance since the last touch; time since; started.
_STATE_SIZE, _BEGUN = 7, 6


@loop("f8, f8, f8")
def profile(r, radius, edge):
    """Touch profile f at distance r (px): 1 inside the edge radius, smooth to 0 at `radius`."""
    inner = radius * (1.0 - edge)
    inner = max(0.0, min(inner, radius - 1.0))  # even a hard edge is one pixel wide, against jaggedness
    if r <= inner:
        return 1.0
    if r >= radius:
        return 0.0
    t = (radius - r) / (radius - inner)
    return t * t * (3.0 - 2.0 * t)


@loop()
def _doubled(rows):  # pragma: no cover - compiled
    """The same rows in an array of twice the length."""
    out = np.empty((2 * rows.shape[0], rows.shape[1]), np.float64)
    for n in range(rows.shape[0]):
        for k in range(rows.shape[1]):
            out[n, k] = rows[n, k]
    return out


@loop("f8[:, ::1], f8[::1], f8, f8, f8, b1, b1, b1, b1, f8, f8, f8")
def _walk(points, state, size, ceiling, flow, build_up, p_size, p_ceiling, p_flow, spacing_share, rate, least):
    """Walk along points, giving touches (x, y, radius, flow, ceiling); `state` carries over between calls."""
    out = np.empty((64, 5), np.float64)
    n = 0
    for i in range(points.shape[0]):
        x, y, p, t = points[i, 0], points[i, 1], points[i, 2], points[i, 3]
        if state[6] == 0.0:
            length, x0, y0, p0 = 0.0, x, y, p
        else:
            x0, y0, p0 = state[0], state[1], state[2]
            length = np.hypot(x - x0, y - y0)
        first = state[6] == 0.0
        along = 0.0
        while True:
            if first:
                share = 1.0
                first = False
            else:
                p_here = p0 + (p - p0) * (along / length if length > 0 else 0.0)
                d = size * (max(least, p_here) if p_size else 1.0)
                spacing = max(1.0, spacing_share * d)
                ahead = spacing - state[4]
                if along + ahead > length:
                    state[4] += length - along
                    break
                along += max(ahead, 0.0)
                state[4] = 0.0
                state[5] = 0.0
                share = along / length if length > 0 else 1.0
            px = x0 + (x - x0) * share
            py = y0 + (y - y0) * share
            pp = max(least, p0 + (p - p0) * share)
            if n == out.shape[0]:
                out = _doubled(out)
            out[n, 0] = px
            out[n, 1] = py
            out[n, 2] = 0.5 * size * (pp if p_size else 1.0)
            out[n, 3] = flow * (pp if p_flow else 1.0)
            out[n, 4] = ceiling * (pp if p_ceiling else 1.0)
            n += 1
        if build_up and state[6] != 0.0:
            state[5] += max(0.0, t - state[3])
            while state[5] * rate >= 1.0 - 1e-9:
                state[5] -= 1.0 / rate
                if n == out.shape[0]:
                    out = _doubled(out)
                pp = max(least, p)
                out[n, 0] = x
                out[n, 1] = y
                out[n, 2] = 0.5 * size * (pp if p_size else 1.0)
                out[n, 3] = flow * (pp if p_flow else 1.0)
                out[n, 4] = ceiling * (pp if p_ceiling else 1.0)
                n += 1
        state[0], state[1], state[2], state[3], state[6] = x, y, p, t, 1.0
    return out[:n]


def touches_expected(brush: Brush, points: np.ndarray) -> float:
    """About how many touches a stroke has, without laying any: its way by the spacing, and what holding still adds."""
    least = brush.size_px * (LEAST_PRESSURE_SHARE if brush.pressure_size else 1.0)
    steps = np.diff(np.asarray(points, np.float64), axis=0)
    way = float(np.hypot(steps[:, 0], steps[:, 1]).sum())
    held = float(np.maximum(steps[:, 3], 0).sum()) * BUILD_UP_TOUCHES_PER_S if brush.build_up else 0.0
    return len(points) + way / max(1.0, TOUCH_SPACING * least) + held


class TouchWalker:
    """Turns points into touches as they come; point by point gives the same touches as all at once."""

    def __init__(self, brush: Brush):
        self.brush = brush
        self._state = np.zeros(_STATE_SIZE)

    def extend(self, points: np.ndarray) -> np.ndarray:
        """Points (n, 4): x, y in source px, pressure 0-1, seconds. Returns touches (m, 5)."""
        b, points = self.brush, np.ascontiguousarray(points, np.float64).reshape(-1, 4)
        first_alone = len(points) == 1 and not self._state[_BEGUN]  # as most mends are: a job opens without waiting
        return (_walk.plain if first_alone else _walk)(
            points, self._state, b.size_px, b.ceiling, b.flow, b.build_up, b.pressure_size, b.pressure_ceiling,
            b.pressure_flow, TOUCH_SPACING, BUILD_UP_TOUCHES_PER_S, LEAST_PRESSURE_SHARE,
        )


@loop("f4[:, ::1], i8, i8, f8[:, ::1], f8", fastmath=True)
def stamp(coverage, origin_x, origin_y, touches, edge):
    """Lay touches (m, 5) onto coverage (h, w) float32 whose top-left pixel is (origin_x, origin_y)."""
    height, width = coverage.shape
    for i in range(touches.shape[0]):
        cx, cy, radius, flow, ceiling = touches[i, 0], touches[i, 1], touches[i, 2], touches[i, 3], touches[i, 4]
        radius = max(radius, 0.5)
        inner = max(0.0, min(radius * (1.0 - edge), radius - 1.0))
        scale = 1.0 / (radius - inner)
        y0 = max(0, int(np.floor(cy - radius)) - origin_y)
        y1 = min(height, int(np.ceil(cy + radius)) + 1 - origin_y)
        x0 = max(0, int(np.floor(cx - radius)) - origin_x)
        x1 = min(width, int(np.ceil(cx + radius)) + 1 - origin_x)
        for y in range(y0, y1):
            dy = y + origin_y + 0.5 - cy
            for x in range(x0, x1):
                dx = x + origin_x + 0.5 - cx
                r2 = dx * dx + dy * dy
                if r2 >= radius * radius:
                    continue
                f = 1.0
                if r2 > inner * inner:
                    t = (radius - np.sqrt(r2)) * scale
                    f = t * t * (3.0 - 2.0 * t)
                c = coverage[y, x]
                grown = min(c + flow * f * (1.0 - c), ceiling)
                if grown > c:
                    coverage[y, x] = grown


def touches_bounds(touches: np.ndarray) -> Rect:
    """Pixel rectangle that touches (m, 5) can reach."""
    if len(touches) == 0:
        return EMPTY
    radius = np.maximum(touches[:, 2], 0.5)
    return Rect(
        int(np.floor((touches[:, 0] - radius).min())),
        int(np.floor((touches[:, 1] - radius).min())),
        int(np.ceil((touches[:, 0] + radius).max())) + 1,
        int(np.ceil((touches[:, 1] + radius).max())) + 1,
    )


def rasterise(touches: np.ndarray, rect: Rect, edge: float) -> np.ndarray:
    """Coverage (h, w) float32 of a whole stroke inside `rect`."""
    coverage = np.zeros((rect.height, rect.width), np.float32)
    stamp(coverage, rect.x0, rect.y0, touches, edge)
    return coverage
