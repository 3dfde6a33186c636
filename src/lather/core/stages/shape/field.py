"""The displacement field of the stage: from the picture after it to the photo, and back.

What strokes and measures move is told forwards, by nodes of the photo; pixels are fetched backwards, so the field is
turned round once, node by node, by Newton's method. Both ways then go by the backward field.
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lather.core.loops import loop
from lather.core.stages.base import Pixels
from lather.core.stages.shape.grid import Grid, areas, displace, displaced, places_of_pixels
from lather.core.stages.shape.resample import REACH, TABLE, fetch, glance
from lather.core.types import EMPTY, EncodedRGB, Mask, Rect

_MOST_STEPS, _CLOSE_PX = 40, 2e-4
_PARTS = 2048.0  # of a pixel, in which it is kept: where nothing was moved anew, its last digits stay as they are


@loop("f4[:, :, ::1], f4[:, :, ::1], f8, f8, i8, i8, i8, i8")
def turn_round(forward, backward, dx, dy, x0, y0, x1, y1):
    """Write the backward displacement of the nodes of a box: where p + forward(p) = q, backward(q) = p - q."""
    rows, columns = forward.shape[0] - 1, forward.shape[1] - 1
    right, bottom = columns * dx, rows * dy
    for j in range(y0, y1):
        for i in range(x0, x1):
            qx, qy = i * dx, j * dy
            u, v, _, _, _, _ = _between(forward, dx, dy, qx, qy)
            if u == 0.0 and v == 0.0:
                px, py = qx, qy
            elif backward[j, i, 0] != 0.0 or backward[j, i, 1] != 0.0:  # as it was a moment ago
                px, py = qx + backward[j, i, 0], qy + backward[j, i, 1]
            elif i > x0:
                px, py = qx + backward[j, i - 1, 0], qy + backward[j, i - 1, 1]
            else:
                px, py = qx - u, qy - v
            px, py = min(max(px, 0.0), right), min(max(py, 0.0), bottom)
            u, v, ux, uy, vx, vy = _between(forward, dx, dy, px, py)
            ex, ey = qx - px - u, qy - py - v
            off = math.hypot(ex, ey)
            for _ in range(_MOST_STEPS):
                if off < _CLOSE_PX:
                    break
                a, d = 1.0 + ux, 1.0 + vy
                det = a * d - uy * vx
                if abs(det) < 0.02:
                    det = 0.02
                sx, sy = (d * ex - uy * ey) / det, (a * ey - vx * ex) / det
                share = 1.0
                for _ in range(6):
                    nx, ny = min(max(px + share * sx, 0.0), right), min(max(py + share * sy, 0.0), bottom)
                    nu, nv, nux, nuy, nvx, nvy = _between(forward, dx, dy, nx, ny)
                    fx, fy = qx - nx - nu, qy - ny - nv
                    if math.hypot(fx, fy) < off:
                        break
                    share *= 0.5
                px, py, ux, uy, vx, vy, ex, ey = nx, ny, nux, nuy, nvx, nvy, fx, fy
                off = math.hypot(ex, ey)
            backward[j, i, 0] = round((px - qx) * _PARTS) / _PARTS
            backward[j, i, 1] = round((py - qy) * _PARTS) / _PARTS
            if i == 0 or i == columns:
                backward[j, i, 0] = 0.0
            if j == 0 or j == rows:
                backward[j, i, 1] = 0.0


@loop(inline=True)
def _between(field, dx, dy, x, y):
    """Value and slopes between the four nodes around a place, bilinear: without folds at the nodes, without any."""
    rows, columns = field.shape[0] - 1, field.shape[1] - 1
    gx, gy = x / dx, y / dy
    i, j = min(max(int(gx), 0), columns - 1), min(max(int(gy), 0), rows - 1)
    s, t = gx - i, gy - j
    u00, u10, u01, u11 = field[j, i, 0], field[j, i + 1, 0], field[j + 1, i, 0], field[j + 1, i + 1, 0]
    v00, v10, v01, v11 = field[j, i, 1], field[j, i + 1, 1], field[j + 1, i, 1], field[j + 1, i + 1, 1]
    u = (u00 * (1 - s) + u10 * s) * (1 - t) + (u01 * (1 - s) + u11 * s) * t
    v = (v00 * (1 - s) + v10 * s) * (1 - t) + (v01 * (1 - s) + v11 * s) * t
    ux = ((u10 - u00) * (1 - t) + (u11 - u01) * t) / dx
    uy = ((u01 - u00) * (1 - s) + (u11 - u10) * s) / dy
    vx = ((v10 - v00) * (1 - t) + (v11 - v01) * t) / dx
    vy = ((v01 - v00) * (1 - s) + (v11 - v10) * s) / dy
    return u, v, ux, uy, vx, vy


@loop("f4[:, :, ::1], f4[:, :, ::1], f8, f8, f8[:, ::1]")
def _back(backward, forward, dx, dy, places):
    """Places (n, 2) of the photo in the picture after: q with q + backward(q) = p."""
    out = np.empty(places.shape, np.float64)
    right, bottom = (forward.shape[1] - 1) * dx, (forward.shape[0] - 1) * dy
    for n in range(places.shape[0]):
        px, py = places[n, 0], places[n, 1]
        inside_x, inside_y = min(max(px, 0.0), right), min(max(py, 0.0), bottom)
        u, v, _, _, _, _ = _between(forward, dx, dy, inside_x, inside_y)
        qx, qy = inside_x + u, inside_y + v
        for _ in range(_MOST_STEPS):
            u, v, ux, uy, vx, vy = displaced(backward, dx, dy, qx, qy)
            ex, ey = inside_x - qx - u, inside_y - qy - v
            if abs(ex) + abs(ey) < _CLOSE_PX:
                break
            a, d = 1.0 + ux, 1.0 + vy
            det = a * d - uy * vx
            if abs(det) < 0.05:
                det = 0.05
            sx, sy = (d * ex - uy * ey) / det, (a * ey - vx * ex) / det
            length = math.hypot(sx, sy)
            share = min(1.0, 4.0 * max(dx, dy) / max(length, 1e-9))
            qx, qy = min(max(qx + share * sx, 0.0), right), min(max(qy + share * sy, 0.0), bottom)
        out[n, 0], out[n, 1] = qx + px - inside_x, qy + py - inside_y
    return out


def moved_box(forward: np.ndarray, box: Rect, grid: Grid) -> Rect:
    """Nodes whose backward displacement hangs on the forward ones of a box: without folds, what lies inside its border
    stays inside, wherever the border goes.
    """
    if box.empty:
        return EMPTY
    part = forward[box.slices(grid.nodes)]
    low, high = [], []
    for axis, (step, first, count) in enumerate(((grid.dx, box.x0, box.width), (grid.dy, box.y0, box.height))):
        near, far = (part[:, 0, 0], part[:, -1, 0]) if axis == 0 else (part[0, :, 1], part[-1, :, 1])
        low.append(first + min(0.0, float(near.min()) / step))
        high.append(first + count - 1 + max(0.0, float(far.max()) / step))
    return Rect(int(np.floor(low[0])) - 1, int(np.floor(low[1])) - 1, int(np.ceil(high[0])) + 2,
                int(np.ceil(high[1])) + 2).intersect(grid.nodes)


@dataclass(frozen=True, eq=False)
class Field:
    """A `Warp`. forward, backward: px on the nodes (rows + 1, columns + 1, 2). box, back_box: where they are not 0."""

    grid: Grid
    forward: np.ndarray
    backward: np.ndarray
    box: Rect
    back_box: Rect

    @classmethod
    def of(cls, grid: Grid, forward: np.ndarray, box: Rect) -> "Field":
        """The field of moves told forwards at the nodes of a grid, inside a box; turned round once."""
        backward = grid.zeros(2)
        back_box = moved_box(forward, box, grid)
        turn_round(forward, backward, grid.dx, grid.dy, *back_box)
        for one in (_back, displace):
            one.expect()  # the window asks for them at the next move of the pen
        return cls(grid, forward, backward, box, back_box)

    @property
    def nbytes(self) -> int:
        """Memory it holds."""
        return self.forward.nbytes + self.backward.nbytes

    # the protocol

    def to_below(self, xy: np.ndarray) -> np.ndarray:
        """Places (…, 2) of the picture after the stage, in the photo."""
        places = np.ascontiguousarray(xy, np.float64).reshape(-1, 2)
        return (places + displace(self.backward, self.grid.dx, self.grid.dy, places)).reshape(np.shape(xy))

    def to_above(self, xy: np.ndarray) -> np.ndarray:
        """Its inverse, to 0.01 px."""
        places = np.ascontiguousarray(xy, np.float64).reshape(-1, 2)
        return _back(self.backward, self.forward, self.grid.dx, self.grid.dy, places).reshape(np.shape(xy))

    def reads(self, rect: Rect) -> Rect:
        """Photo pixels that a rectangle of the moved picture needs."""
        taps = max(8, max(rect.width, rect.height) // 48)  # those of the coarsest level at which a tile is so large
        return self._through(self.backward, rect).expand(taps) if self.moves(rect) else rect

    def spreads(self, rect: Rect) -> Rect:
        """Pixels of the moved picture that a rectangle of the photo reaches."""
        return self._through(self.forward, rect).expand(2) if self.moves(rect) else rect

    def moves(self, rect: Rect) -> bool:
        """True if something of a level-0 rectangle may be moved."""
        return not rect.intersect(self.grid.px(self.back_box)).empty

    def _through(self, field: np.ndarray, rect: Rect) -> Rect:
        box = self.grid.box((rect.x0, rect.y0), (rect.x1, rect.y1), 2)
        part = field[box.slices(self.grid.nodes)]
        low, high = np.minimum(part.min((0, 1)), 0), np.maximum(part.max((0, 1)), 0)
        return Rect(int(np.floor(rect.x0 + low[0])) - 1, int(np.floor(rect.y0 + low[1])) - 1,
                    int(np.ceil(rect.x1 + high[0])) + 1, int(np.ceil(rect.y1 + high[1])) + 1)

    def resample(self, read: Pixels, rect: Rect, level: int, *, sharp: bool = True) -> EncodedRGB:
        """What `read` shows, moved. sharp=False: linear, for the moment the pen is down."""
        if not self.moves(rect.from_level(level)):
            return read(rect, level)
        places, (x0, y0, x1, y1) = places_of_pixels(
            self.backward, self.grid.dx, self.grid.dy, rect.x0, rect.y0, 1 << level, rect.width, rect.height)
        whole = Rect(0, 0, self.grid.width, self.grid.height).at_level(level)
        part = Rect(math.floor(x0), math.floor(y0), math.ceil(x1), math.ceil(y1)).expand(REACH).intersect(whole)
        pixels = read(part, level)
        if not sharp:
            return glance(pixels, places, part.x0, part.y0)
        return fetch(np.ascontiguousarray(pixels), places, part.x0, part.y0, TABLE)

    def places_below(self, rect: Rect) -> np.ndarray:
        """(h, w, 2) px: where the middle of each pixel of a level-0 rectangle comes from."""
        return places_of_pixels(self.backward, self.grid.dx, self.grid.dy, rect.x0, rect.y0, 1, rect.width,
                                rect.height)[0]

    # what is told of it

    def growth(self, rect: Rect, level: int) -> Mask:
        """How much larger the skin is than on the photo, per area (h, w): over 1 it is stretched."""
        step = 1 << level
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
        places = np.stack([xs, ys], -1).reshape(-1, 2) * step
        back = areas(self.backward, self.grid.dx, self.grid.dy, places)
        return (1 / np.maximum(back, 0.05)).reshape(xs.shape).astype(np.float32)

    @cached_property
    def largest(self) -> tuple[float, float, float]:
        """(px, x, y) of the largest move, where it starts on the photo."""
        if self.box.empty:
            return 0.0, 0.0, 0.0
        part = self.forward[self.box.slices(self.grid.nodes)]
        length = np.hypot(part[..., 0], part[..., 1])
        row, column = np.unravel_index(int(length.argmax()), length.shape)
        return (float(length[row, column]), float((self.box.x0 + column) * self.grid.dx),
                float((self.box.y0 + row) * self.grid.dy))
