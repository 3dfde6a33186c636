"""Lines that stay straight: of what is moved across a held line, nothing is left on it."""

import numpy as np

from lather.core.job.model import Stroke
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.grid import Grid, displace
from lather.core.stages.shape.guard import most_allowed
from lather.core.types import Rect

_FADES = 3.0  # times what is held back, over which the hold fades beside the line
_ALONG_PX = 4.0
_NODES = 2.0  # beside the line that are held wholly


def keep_straight(grid: Grid, total: np.ndarray, box: Rect, lines: list[Stroke]) -> np.ndarray:
    """Moves on the nodes with each line (a stroke from its first to its last place) kept as straight as it was.

    Only what goes across the line is taken away: along it, it may slide.
    """
    total = total.copy()
    at = box.slices(grid.nodes)
    places = grid.places(box)
    for line in lines:
        start, end = line.points[0, :2].astype(float), line.points[-1, :2].astype(float)
        length = float(np.hypot(*(end - start)))
        if length < 1:
            continue
        along = (end - start) / length
        across = np.array([-along[1], along[0]])
        on = start + np.linspace(0, length, max(2, int(length / _ALONG_PX)))[:, None] * along
        most = float(np.abs(displace(total, grid.dx, grid.dy, on) @ across).max())
        if most < 1e-3:
            continue
        fade = max(_FADES * most, line.brush.size_px / 2, 4 * grid.step)
        beside = np.abs((places - start) @ across)
        beyond = (places - start) @ along
        beyond = np.maximum(np.maximum(-beyond, beyond - length), 0)
        far = np.clip((np.hypot(np.maximum(beside - _NODES * grid.step, 0), beyond)) / fade, 0, 1)
        held = 1 - far * far * (3 - 2 * far)
        back = (-(held * (total[at] @ across))[..., None] * across).astype(np.float32)
        total[at] += np.float32(most_allowed(total, back, box, grid)) * back
    return total


def bend_px(field: Field, start: np.ndarray, end: np.ndarray) -> tuple[float, np.ndarray]:
    """(how far a line of the photo is bent, px; the places (n, 2) it now goes through).

    Bent: the largest distance from the straight line that fits it best.
    """
    start, end = np.asarray(start, float), np.asarray(end, float)
    length = float(np.hypot(*(end - start)))
    on = start + np.linspace(0, 1, max(8, int(length / _ALONG_PX)))[:, None] * (end - start)
    now = field.to_above(on)
    middle = now.mean(0)
    _, _, axes = np.linalg.svd(now - middle, full_matrices=False)
    return float(np.abs((now - middle) @ axes[1]).max()), now
