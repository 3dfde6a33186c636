"""Lines: ridge strength over scale, thinned along the ridge and traced into paths with width and contrast."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from lather.core.loops import loop


@dataclass(frozen=True, eq=False)
class Line:
    """points: float32 (n, 2) x, y. width: px. strength: mean ridge response along it."""

    points: np.ndarray
    width: float
    strength: float

    @cached_property
    def length(self) -> float:
        """Along its points, px."""
        return float(np.hypot(*np.diff(self.points, axis=0).T).sum())


Ridges = tuple[np.ndarray, np.ndarray, np.ndarray]


def ridge_response(values: np.ndarray, sigmas, *, dark: bool) -> Ridges:
    """(response, angle of the ridge in rad, sigma of the best scale), each float32 (h, w).

    The larger eigenvalue of the Hessian at scale sigma, times sigma², less what the other one says of blobs
    (Lindeberg 1998). dark: lines darker than their surroundings; else brighter.
    """
    return ridge_responses(values, sigmas, (dark,))[0]


def ridge_responses(values: np.ndarray, sigmas, ways: tuple[bool, ...]) -> list[Ridges]:
    """`ridge_response` for each of `ways` (dark or not), of the same blurs."""
    found = []
    for _ in ways:
        best = np.zeros(values.shape, np.float32)
        found.append((best, np.zeros_like(best), np.full_like(best, sigmas[0])))
    for sigma in sigmas:
        smooth = cv2.GaussianBlur(values, (0, 0), sigma)
        for dark, ridges in zip(ways, found):
            _ridge_at(smooth, np.float32(1.0 if dark else -1.0), np.float32(sigma), *ridges)
    return found


@loop(inline=True)
def _half_turn(y, x):  # pragma: no cover - compiled
    """Half of arctan2(y, x), to a thousandth of a radian, in steps that a compiler runs for many pixels at a time."""
    ax, ay = abs(x), abs(y)
    low, high = min(ax, ay), max(max(ax, ay), np.float32(1e-20))
    a = low / high
    s = a * a
    r = ((np.float32(-0.0464964749) * s + np.float32(0.15931422)) * s - np.float32(0.327622764)) * s * a + a
    r = np.float32(np.pi / 2) - r if ay > ax else r
    r = np.float32(np.pi) - r if x < np.float32(0) else r
    r = -r if y < np.float32(0) else r
    return np.float32(0.5) * r


@loop("f4[:, ::1], f4, f4, f4[:, ::1], f4[:, ::1], f4[:, ::1]", fastmath=True)
def _ridge_at(smooth, sign, sigma, best, angle, scale):  # pragma: no cover - compiled
    """Eigenvalues of the Hessian (3×3 Sobel) at one scale; where they beat `best`, they are kept.

    All in float32 and without a branch: eight pixels at a time.
    """
    height, width = smooth.shape
    two, quarter, half = np.float32(2), np.float32(0.25), np.float32(0.5)
    square, right = sigma * sigma, np.float32(np.pi / 2)
    for y in range(1, height - 1):
        above, here, under = smooth[y - 1], smooth[y], smooth[y + 1]
        own_best, own_angle, own_scale = best[y], angle[y], scale[y]
        for x in range(1, width - 1):
            a, b, c = above[x - 1], above[x], above[x + 1]
            d, e, f = here[x - 1], here[x], here[x + 1]
            g, h, k = under[x - 1], under[x], under[x + 1]
            xx = (a - two * b + c + two * (d - two * e + f) + g - two * h + k) * quarter * sign
            yy = (a + two * b + c - two * (d + two * e + f) + g + two * h + k) * quarter * sign
            xy = (a - c - g + k) * quarter * sign
            mean, lean = half * (xx + yy), half * (xx - yy)
            gap = np.sqrt(lean * lean + xy * xy)
            response = (mean + gap - abs(mean - gap)) * square
            more = response > own_best[x]
            own_angle[x] = _half_turn(xy, lean) + right if more else own_angle[x]
            own_scale[x] = sigma if more else own_scale[x]
            own_best[x] = response if more else own_best[x]


@loop("f4[:, ::1], f4[:, ::1], const(f4[:, :]), u1[:, ::1]")
def _thin(response, angle, low, out):  # pragma: no cover - compiled
    """Keep pixels that are the largest across their ridge."""
    height, width = response.shape
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            r = response[y, x]
            if r < low[y, x]:
                continue
            nx, ny = -np.sin(angle[y, x]), np.cos(angle[y, x])
            ok = True
            for s in (-1.0, 1.0):
                fx, fy = x + s * nx, y + s * ny
                x0, y0 = int(np.floor(fx)), int(np.floor(fy))
                ax, ay = fx - x0, fy - y0
                if x0 < 0 or y0 < 0 or x0 + 1 >= width or y0 + 1 >= height:
                    continue
                v = (response[y0, x0] * (1 - ax) + response[y0, x0 + 1] * ax) * (1 - ay) + (
                    response[y0 + 1, x0] * (1 - ax) + response[y0 + 1, x0 + 1] * ax
                ) * ay
                if v > r:
                    ok = False
            if ok:
                out[y, x] = 1


@loop()
def _step(y, x, heading, crest, angle, response, used, reach, most_turn):  # pragma: no cover - compiled
    """The next crest pixel ahead within `reach`, or (-1, -1); gaps are crossed where the way goes on."""
    height, width = crest.shape
    best, by, bx = -1.0, -1, -1
    for dy in range(-reach, reach + 1):
        for dx in range(-reach, reach + 1):
            yy, xx = y + dy, x + dx
            if (dy == 0 and dx == 0) or yy < 0 or xx < 0 or yy >= height or xx >= width:
                continue
            if crest[yy, xx] == 0 or used[yy, xx]:
                continue
            d = np.hypot(dx, dy)
            if d > reach:
                continue
            turn = np.arctan2(dy, dx) - heading
            turn = np.abs(np.arctan2(np.sin(turn), np.cos(turn)))
            if turn > most_turn:
                continue
            lean = np.abs(np.sin(angle[yy, xx] - heading))
            if lean > 0.8:
                continue
            score = response[yy, xx] * (1.0 - 0.6 * turn / most_turn) * (1.0 - 0.5 * lean) / (d * d)
            if score > best:
                best, by, bx = score, yy, xx
    return by, bx


@loop("i4[:, ::1], u1[:, ::1], f4[:, ::1], f4[:, ::1], u1[:, ::1], i8, f8, i4[:, ::1], i8[::1]")
def _trace(seeds, crest, angle, response, used, reach, most_turn, paths, starts):  # pragma: no cover - compiled
    count, n = 0, 0
    back = np.empty((20000, 2), np.int32)
    for i in range(seeds.shape[0]):
        y, x = seeds[i, 0], seeds[i, 1]
        if used[y, x]:
            continue
        used[y, x] = 1
        first = n
        b = 0
        for way in range(2):
            heading = angle[y, x] + (np.pi if way else 0.0)
            cy, cx = y, x
            while True:
                ny, nx = _step(cy, cx, heading, crest, angle, response, used, reach, most_turn)
                if ny < 0:
                    break
                for my in range(min(cy, ny) - 1, max(cy, ny) + 2):
                    for mx in range(min(cx, nx) - 1, max(cx, nx) + 2):
                        if 0 <= my < used.shape[0] and 0 <= mx < used.shape[1]:
                            used[my, mx] = 1
                move = np.arctan2(ny - cy, nx - cx)
                turn = np.arctan2(np.sin(move - heading), np.cos(move - heading))
                heading += 0.5 * turn
                cy, cx = ny, nx
                if way == 0:
                    if b < back.shape[0]:
                        back[b, 0], back[b, 1] = cy, cx
                        b += 1
                elif n + b + 2 < paths.shape[0]:
                    paths[n, 0], paths[n, 1] = cy, cx
                    n += 1
        # second half was written first: turn it round, then the seed, then the first half
        i0, i1 = first, n - 1
        while i0 < i1:
            for c in range(2):
                t = paths[i0, c]
                paths[i0, c] = paths[i1, c]
                paths[i1, c] = t
            i0 += 1
            i1 -= 1
        if n + b + 2 < paths.shape[0] and count + 1 < starts.shape[0]:
            paths[n, 0], paths[n, 1] = y, x
            n += 1
            for j in range(b):
                paths[n, 0], paths[n, 1] = back[j, 0], back[j, 1]
                n += 1
            count += 1
            starts[count] = n
        else:
            break
    return count


def trace_lines(
    response: np.ndarray,
    angle: np.ndarray,
    scale: np.ndarray,
    *,
    low,
    high,
    least_length: float,
    reach: int = 3,
    most_turn: float = 0.7,
    most: int | None = None,
) -> list[Line]:
    """Hysteresis: lines start where the response passes `high` and go on while it passes `low` (numbers or maps).

    The strongest start first; gaps of up to `reach` px are crossed where the direction goes on. most: no more lines
    than these, the strongest by response times the root of their length.
    """
    low = np.broadcast_to(np.asarray(low, np.float32), response.shape)
    crest = np.zeros(response.shape, np.uint8)
    _thin(response, angle, low, crest)
    ys, xs = np.nonzero((crest > 0) & (response > high))
    order = np.argsort(-response[ys, xs])
    seeds = np.stack([ys[order], xs[order]], 1).astype(np.int32)
    paths, starts = np.empty((int(crest.sum()) + 64, 2), np.int32), np.zeros(len(seeds) + 2, np.int64)
    count = _trace(seeds, crest, angle, response, np.zeros_like(crest), reach, most_turn, paths, starts)
    lines = []
    least_points = max(4, int(least_length / 2.2))  # a step is hardly ever longer: gaps are few
    steps = np.diff(starts[: count + 1])
    chosen = np.flatnonzero(steps >= least_points)
    if most is not None and len(chosen) > most:
        along = response[paths[: starts[count], 0], paths[: starts[count], 1]]
        rank = np.add.reduceat(along, starts[:count])[chosen] / np.sqrt(steps[chosen])
        chosen = np.sort(chosen[np.argsort(-rank, kind="stable")[:most]])
    for i in chosen:
        rows, columns = paths[starts[i] : starts[i + 1]].T
        points = np.stack([columns, rows], 1).astype(np.float32) + 0.5
        points = _smoothed(points)
        width = 2.0 * float(np.sort(scale[rows, columns])[len(rows) // 2])
        line = Line(points, width, float(response[rows, columns].mean()))
        if line.length >= least_length:
            lines.append(line)
    return lines


def _smoothed(points: np.ndarray) -> np.ndarray:
    if len(points) < 5:
        return points
    kernel = np.array([0.25, 0.5, 0.25], np.float32)
    inner = np.stack([np.convolve(points[:, i], kernel, "valid") for i in (0, 1)], 1)
    return np.concatenate([points[:1], inner, points[-1:]])
