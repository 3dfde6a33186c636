"""Lines that stay straight: of what is moved across a held line, nothing is left on it."""

import numpy as np

from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.job.purpose import of_line
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.grid import Grid, displace
from lather.core.stages.shape.guard import most_allowed
from lather.core.tools.straighten import TOOL as LINE_HOLD
from lather.core.types import Rect

_FADES = 3.0  # times what is held back, over which the hold fades beside the line
_ALONG_PX = 4.0
_ROUNDS, _WHOLLY, _STILL_PX = 16, 0.98, 0.05
_NODES = 2.0  # beside the line that are held wholly


def keep_straight(grid: Grid, total: np.ndarray, box: Rect, lines: list[Stroke]) -> np.ndarray:
    """Moves on the nodes with each line kept as straight as it was. A line: a stroke whose points are the ends of its
    parts, two by two.

    Only what goes across the line is taken away: along it, it may slide. Lines that cross are held by turns.
    """
    total = total.copy()
    at = box.slices(grid.nodes)
    places = grid.places(box)
    parts = [(points[n].astype(float), points[n + 1].astype(float), line.brush.size_px / 2)
             for line in lines for points in (line.points[:, :2],) for n in range(0, len(points) - 1, 2)]
    holds = [hold for part in parts if (hold := _hold(grid, total, places, *part)) is not None]
    for _ in range(_ROUNDS if len(holds) > 1 else 1):
        most = 0.0
        for held, across in holds:
            back = (-(held * (total[at] @ across))[..., None] * across).astype(np.float32)
            total[at] += np.float32(most_allowed(total, back, box, grid)) * back
            most = max(most, float(np.abs(back[held > _WHOLLY]).max(initial=0.0)))
        if most < _STILL_PX:
            break
    return total


def _hold(grid: Grid, total: np.ndarray, places: np.ndarray, start: np.ndarray, end: np.ndarray, least_px: float
          ) -> tuple[np.ndarray, np.ndarray] | None:
    """(how much each node is held, 0-1; the unit vector across the line); None where nothing moves the line."""
    length = float(np.hypot(*(end - start)))
    if length < 1:
        return None
    along = (end - start) / length
    across = np.array([-along[1], along[0]])
    most = float(np.abs(displace(total, grid.dx, grid.dy, _places_on(start, end)) @ across).max())
    if most < 1e-3:
        return None
    fade = max(_FADES * most, least_px, 4 * grid.step)
    beside = np.maximum(np.abs((places - start) @ across) - _NODES * grid.step, 0)
    beyond = (places - start) @ along
    beyond = np.maximum(np.maximum(-beyond, beyond - length) - _NODES * grid.step, 0)
    far = np.clip(np.hypot(beside, beyond) / fade, 0, 1)
    return 1 - far * far * (3 - 2 * far), across


def _places_on(start: np.ndarray, end: np.ndarray) -> np.ndarray:
    length = float(np.hypot(*(end - start)))
    return start + np.linspace(0, 1, max(4, int(length / _ALONG_PX)))[:, None] * (end - start)


def hold_of(parts, name: str, order: int) -> Stroke:
    """The edit that holds a line. parts: (start, end) of each, px on the photo."""
    points = freeze_points([(*place, 1.0, 0.0) for part in parts for place in part])
    return Stroke(new_id(), LINE_HOLD.id, LINE_HOLD.brush, points, note=name, purpose=of_line(name), order=order)


def bend_px(field: Field, parts) -> tuple[float, np.ndarray]:
    """(how far a line of the photo is bent, px; the places (n, 2) it now goes through). parts: (start, end) of each.

    Bent: the largest distance from the straight line that fits it best.
    """
    now = field.to_above(np.concatenate([_places_on(np.array(a, float), np.array(b, float)) for a, b in parts]))
    middle = now.mean(0)
    _, _, axes = np.linalg.svd(now - middle, full_matrices=False)
    return float(np.abs((now - middle) @ axes[1]).max()), now
