"""What is kept in the photo's coordinates, in those of a picture that was moved."""

from dataclasses import replace

import numpy as np

from lather.core.job.fence import Fence
from lather.core.job.model import Stroke, freeze_points
from lather.core.stages.base import Warp


def moved_points(points: np.ndarray, warp: Warp) -> np.ndarray:
    """Points (n, 4) of a stroke, above."""
    moved = np.array(points, np.float64)
    moved[:, :2] = warp.to_above(moved[:, :2])
    return moved.astype(np.float32)


def moved_stroke(stroke: Stroke, warp: Warp) -> Stroke:
    """A stroke where the form is, after Shape."""
    fence = None if stroke.fence is None else moved_fence(stroke.fence, warp)
    return replace(stroke, points=freeze_points(moved_points(stroke.points, warp)), fence=fence)


def moved_fence(fence: Fence, warp: Warp) -> Fence:
    """A fence where the form is, after Shape."""
    rings = (warp.to_above(np.array(ring)).tolist() for ring in fence.rings)
    return replace(fence, rings=tuple(tuple(map(tuple, ring)) for ring in rings))
