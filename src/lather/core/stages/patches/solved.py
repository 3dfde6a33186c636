"""An edit worked out, whatever the method: what it changes, and how well its border fits."""

from dataclasses import dataclass, field

import numpy as np

from lather.core.types import Rect


@dataclass
class Solved:
    """blocks: (rect, float32 (h, w, 3)) changes. disagreement: share of the boundary that did not fit.

    misfits: places (x, y) of boundary cells that do not fit, for showing them on an outline.
    """

    blocks: list[tuple[Rect, np.ndarray]]
    disagreement: float = 0.0
    misfits: np.ndarray = field(default_factory=lambda: np.zeros((0, 2), np.float32))
