"""The grid on which displacements are kept, and what lies between its nodes.

Nodes stand on the frame's borders, so that what is 0 there is exactly 0. Between nodes a displacement is told by cubic
convolution (Keys 1981, a = -1/2): it goes through the nodes, with a gradient that has no steps.
"""

from dataclasses import dataclass

import numpy as np

from lather.core.loops import loop
from lather.core.types import Rect

_LEAST_PX, _MOST_PX, _ALONG_LONG_SIDE = 2.0, 8.0, 1600


@dataclass(frozen=True)
class Grid:
    """Nodes over a frame. columns, rows: cells. A node (column, row) lies at (column · dx, row · dy) px."""

    width: int
    height: int
    columns: int
    rows: int

    @classmethod
    def over(cls, bounds: Rect) -> "Grid":
        """Fine enough for a tooth: 2 px on small pictures, 4 px at 24 megapixels."""
        step = float(np.clip(max(bounds.x1, bounds.y1) / _ALONG_LONG_SIDE, _LEAST_PX, _MOST_PX))
        return cls(bounds.x1, bounds.y1, max(4, round(bounds.x1 / step)), max(4, round(bounds.y1 / step)))

    @property
    def dx(self) -> float:
        """Between two columns, px."""
        return self.width / self.columns

    @property
    def dy(self) -> float:
        """Between two rows, px."""
        return self.height / self.rows

    @property
    def step(self) -> float:
        """The larger of the two, px."""
        return max(self.dx, self.dy)

    @property
    def nodes(self) -> Rect:
        """All nodes."""
        return Rect(0, 0, self.columns + 1, self.rows + 1)

    def zeros(self, *channels: int) -> np.ndarray:
        """Float32 zeros (rows + 1, columns + 1, *channels)."""
        return np.zeros((self.rows + 1, self.columns + 1, *channels), np.float32)

    def box(self, low, high, margin: int = 0) -> Rect:
        """Nodes inside a rectangle of the photo (x, y of two corners, px), and some more around."""
        x0, y0 = int(np.floor(low[0] / self.dx)) - margin, int(np.floor(low[1] / self.dy)) - margin
        x1, y1 = int(np.ceil(high[0] / self.dx)) + margin, int(np.ceil(high[1] / self.dy)) + margin
        return Rect(x0, y0, x1 + 1, y1 + 1).intersect(self.nodes)

    def px(self, box: Rect) -> Rect:
        """Level-0 pixels that the nodes of a box have a say in (a cubic reaches two cells)."""
        rect = Rect(int((box.x0 - 2) * self.dx), int((box.y0 - 2) * self.dy), int((box.x1 + 1) * self.dx) + 2,
                    int((box.y1 + 1) * self.dy) + 2)
        return rect.intersect(Rect(0, 0, self.width, self.height))

    def places(self, box: Rect) -> np.ndarray:
        """(h, w, 2) px of the nodes of a box."""
        xs, ys = np.meshgrid(np.arange(box.x0, box.x1) * self.dx, np.arange(box.y0, box.y1) * self.dy)
        return np.stack([xs, ys], -1)


@loop(inline=True)
def cubic(t):
    """Weights of the four nodes around a place at a share 0-1 between the middle two."""
    s, u = t * t, t * t * t
    return -0.5 * u + s - 0.5 * t, 1.5 * u - 2.5 * s + 1.0, -1.5 * u + 2.0 * s + 0.5 * t, 0.5 * u - 0.5 * s


@loop(inline=True)
def cubic_slope(t):
    """Their derivatives."""
    s = t * t
    return -1.5 * s + 2.0 * t - 0.5, 4.5 * s - 5.0 * t, -4.5 * s + 4.0 * t + 0.5, 1.5 * s - t


@loop()
def displaced(field, dx, dy, x, y):
    """(u, v, du/dx, du/dy, dv/dx, dv/dy) of a field (rows + 1, columns + 1, 2) at a place in px."""
    rows, columns = field.shape[0] - 1, field.shape[1] - 1
    gx, gy = min(max(x / dx, 0.0), float(columns)), min(max(y / dy, 0.0), float(rows))
    i, j = min(int(gx), columns - 1), min(int(gy), rows - 1)
    wx, wy = cubic(gx - i), cubic(gy - j)
    sx, sy = cubic_slope(gx - i), cubic_slope(gy - j)
    u = v = ux = uy = vx = vy = 0.0
    for b in range(4):
        jj = min(max(j - 1 + b, 0), rows)
        ru = rv = du = dv = 0.0
        for a in range(4):
            ii = min(max(i - 1 + a, 0), columns)
            fu, fv = field[jj, ii, 0], field[jj, ii, 1]
            ru += wx[a] * fu
            rv += wx[a] * fv
            du += sx[a] * fu
            dv += sx[a] * fv
        u += wy[b] * ru
        v += wy[b] * rv
        ux += wy[b] * du
        vx += wy[b] * dv
        uy += sy[b] * ru
        vy += sy[b] * rv
    return u, v, ux / dx, uy / dy, vx / dx, vy / dy


@loop("f4[:, :, ::1], f8, f8, f8[:, ::1]")
def displace(field, dx, dy, places):
    """Displacements (n, 2) at places (n, 2)."""
    out = np.empty(places.shape, np.float64)
    for n in range(places.shape[0]):
        u, v, _, _, _, _ = displaced(field, dx, dy, places[n, 0], places[n, 1])
        out[n, 0], out[n, 1] = u, v
    return out


@loop("f4[:, :, ::1], f8, f8, f8[:, ::1]")
def areas(field, dx, dy, places):
    """Determinants (n,) of the Jacobian of place + displacement."""
    out = np.empty(places.shape[0], np.float64)
    for n in range(places.shape[0]):
        _, _, ux, uy, vx, vy = displaced(field, dx, dy, places[n, 0], places[n, 1])
        out[n] = (1.0 + ux) * (1.0 + vy) - uy * vx
    return out


@loop("f4[:, :, ::1], f8, f8, i8, i8, i8, i8, i8")
def places_of_pixels(field, dx, dy, x0, y0, step, width, height):
    """(places (height, width, 2), least x and y, greatest x and y): where the middles of pixels of a level come from.

    In pixels of that level; `step` of the photo's each. The first pixel is (x0, y0).
    """
    rows, columns = field.shape[0] - 1, field.shape[1] - 1
    out = np.empty((height, width, 2), np.float64)
    left = top = 1e9
    right = bottom = -1e9
    low = min(max(int((x0 + 0.5) * step / dx), 0), columns - 1) - 1
    high = min(max(int((x0 + width - 0.5) * step / dx), 0), columns - 1) + 3
    line = np.empty((high - low, 2), np.float64)
    for row in range(height):
        gy = min(max((y0 + row + 0.5) * step / dy, 0.0), float(rows))
        j = min(int(gy), rows - 1)
        w0, w1, w2, w3 = cubic(gy - j)
        j0, j1, j2, j3 = max(j - 1, 0), j, j + 1, min(j + 2, rows)
        for k in range(high - low):
            i = min(max(low + k, 0), columns)
            for c in range(2):
                line[k, c] = (w0 * field[j0, i, c] + w1 * field[j1, i, c] + w2 * field[j2, i, c] + w3 * field[j3, i, c])
        for column in range(width):
            gx = min(max((x0 + column + 0.5) * step / dx, 0.0), float(columns))
            i = min(int(gx), columns - 1)
            a, b, c, d = cubic(gx - i)
            k = i - 1 - low
            u = a * line[k, 0] + b * line[k + 1, 0] + c * line[k + 2, 0] + d * line[k + 3, 0]
            v = a * line[k, 1] + b * line[k + 1, 1] + c * line[k + 2, 1] + d * line[k + 3, 1]
            x, y = x0 + column + 0.5 + u / step, y0 + row + 0.5 + v / step
            out[row, column, 0], out[row, column, 1] = x, y
            left, right, top, bottom = min(left, x), max(right, x), min(top, y), max(bottom, y)
    return out, (left, top, right, bottom)
