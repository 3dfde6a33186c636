"""Where the stages before Grain took grain away, over the whole picture: what Grain puts back, to be looked at."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.errors import Cancelled
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Job
from lather.core.stages.grain.missing import CELL, missing_cells, needed, touched_pixels
from lather.core.types import Rect

_BLOCK = 64  # cells
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def missing_map(
    engine: Engine, job: Job, model: GrainModel, *, go_on: Callable[[], bool] = lambda: True
) -> np.ndarray:
    """Sigma of the grain that is missing, in shares of the photo's own: float32, one value per cell of 8×8 px.

    0 where nothing was touched or enough is left; 1 where all of it went. Raises Cancelled when go_on() is False.
    """
    bounds = engine.photo.bounds
    whole = Rect(0, 0, -(-bounds.x1 // CELL), -(-bounds.y1 // CELL))
    out = np.zeros((whole.height, whole.width), np.float32)
    if not model.level_percent:
        return out
    before = job.with_stage(replace(job.stage("grain"), layers=()))
    original = engine.stack(before, "grain").above().photo  # moved as the picture is
    for y in range(0, whole.y1, _BLOCK):
        for x in range(0, whole.x1, _BLOCK):
            if not go_on():
                raise Cancelled("The map of missing grain was stopped; nothing was changed.")
            cells = Rect(x, y, min(x + _BLOCK, whole.x1), min(y + _BLOCK, whole.y1))
            wide = needed(cells)
            inside = wide.intersect(bounds)
            below, photo = engine.pixels(before, inside, 0, "grain"), original(inside, 0)
            if np.array_equal(below, photo):
                continue
            pad = ((inside.y0 - wide.y0, wide.y1 - inside.y1), (inside.x0 - wide.x0, wide.x1 - inside.x1), (0, 0))
            below, photo = (np.pad(part, pad, mode="edge") for part in (below, photo))
            sigma = missing_cells(below, photo, touched_pixels(below, photo), cells, model)
            middle = CELL // 2
            own = photo[-wide.y0 + cells.y0 * CELL + middle :: CELL, -wide.x0 + cells.x0 * CELL + middle :: CELL]
            usual = model.sigma(own[: cells.height, : cells.width] @ _LUMINANCE)
            out[cells.slices(whole)] = np.minimum(sigma / np.maximum(usual, 1e-6), 1)
    return out
