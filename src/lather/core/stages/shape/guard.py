"""No folds: how far skin may be pressed together or pulled apart."""

import numpy as np

from lather.core.loops import loop
from lather.core.stages.shape.grid import Grid
from lather.core.types import Rect

TIGHTEST, WIDEST = 0.2, 4.0
"""Area of skin now against that on the photo; a stroke that would go beyond either stops."""
_ROOM = 1.06  # what lies between nodes may go a little further than the nodes themselves
_TRIES = 7


@loop("f4[:, :, ::1], f8, f8, i8, i8, i8, i8", fastmath=True)
def extremes(field, dx, dy, x0, y0, x1, y1):
    """(least, greatest) area of the cells of a box of nodes, also at every lesser strength of the field.

    At a strength t the area is 1 + t·tr + t²·det, least at an end or at -tr / 2 det.
    """
    one, least, most = np.float32(1), np.float32(1), np.float32(1)
    per_x, per_y = np.float32(1 / dx), np.float32(1 / dy)
    for j in range(y0, y1 - 1):
        for i in range(x0, x1 - 1):
            u00, v00, u10, v10 = field[j, i, 0], field[j, i, 1], field[j, i + 1, 0], field[j, i + 1, 1]
            u01, v01, u11, v11 = field[j + 1, i, 0], field[j + 1, i, 1], field[j + 1, i + 1, 0], field[j + 1, i + 1, 1]
            for corner in range(4):
                ux, vx = (u10 - u00, v10 - v00) if corner < 2 else (u11 - u01, v11 - v01)
                uy, vy = (u01 - u00, v01 - v00) if corner % 2 == 0 else (u11 - u10, v11 - v10)
                ux, vx, uy, vy = ux * per_x, vx * per_x, uy * per_y, vy * per_y
                trace, det = ux + vy, ux * vy - uy * vx
                area = one + trace + det
                most = max(most, area)
                if det > 0 and trace < 0 and -trace < 2 * det:
                    area = one - trace * trace / (4 * det)
                least = min(least, area)
    return least, most


def allowed(field: np.ndarray, box: Rect, grid: Grid) -> bool:
    """True if nothing in a box of nodes is pressed or pulled too far."""
    around = box.expand(1).intersect(grid.nodes)
    return _within(*extremes(field, grid.dx, grid.dy, *around))


def most_allowed(before: np.ndarray, move: np.ndarray, box: Rect, grid: Grid) -> float:
    """The largest share of a move (of the nodes of a box) that may be added to a field."""
    around = box.expand(2).intersect(grid.nodes)
    part, own = before[around.slices(grid.nodes)], box.slices(around)
    trial = part.copy()
    inside = box.expand(1).intersect(grid.nodes)
    window = (inside.x0 - around.x0, inside.y0 - around.y0, inside.x1 - around.x0, inside.y1 - around.y0)
    low, high = 0.0, 1.0
    for turn in range(_TRIES + 1):
        share = 1.0 if turn == 0 else (low + high) / 2
        trial[own] = part[own] + np.float32(share) * move
        least, most = extremes(trial, grid.dx, grid.dy, *window)
        if _within(least, most):
            if share == 1.0:
                return 1.0
            low = share
        else:
            high = share
    return low


def _within(least: float, most: float) -> bool:
    return least > TIGHTEST * _ROOM and most < WIDEST / _ROOM
