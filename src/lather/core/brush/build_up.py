"""What the brush will do, told before it is used: coverage against the number of passes."""

import numpy as np

from lather.core.brush.stroke import profile
from lather.core.brush.values import TOUCH_SPACING, Brush


def coverage_of_pass(brush: Brush) -> float:
    """Coverage 0-1 at the middle of one straight pass at full pressure."""
    spacing = max(1.0, TOUCH_SPACING * brush.size_px)
    radius = max(brush.size_px / 2, 0.5)
    reach = int(radius / spacing)
    left = 1.0
    for step in range(-reach, reach + 1):
        left *= 1 - brush.flow * profile.plain(abs(step) * spacing, radius, brush.edge)
    return float(min(1 - left, brush.ceiling))


def coverage_after(brush: Brush, passes: int | np.ndarray) -> np.ndarray:
    """Coverage after whole strokes over the same place: C ← 1 − (1 − C)(1 − c)."""
    return 1 - (1 - coverage_of_pass(brush)) ** np.asarray(passes, float)


def passes_to_reach(brush: Brush, share: float) -> int | None:
    """Number of passes until coverage is at least `share`; None if the brush lays down nothing."""
    once = coverage_of_pass(brush)
    if once <= 0:
        return None
    if once >= share:
        return 1
    return int(np.ceil(np.log(1 - share) / np.log(1 - once) - 1e-9))
