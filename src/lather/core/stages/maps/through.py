"""Coverage read through a displacement: masks move with the form."""

from collections.abc import Callable

import cv2
import numpy as np

from lather.core.stages.base import Surroundings
from lather.core.types import Mask, Rect


def coverage_through(around: Surroundings, read: Callable[[Rect, int], Mask], rect: Rect, level: int) -> Mask:
    """Coverage of a rectangle of a level above the warp of `around`. read(rect, level): coverage of the photo."""
    step = 1 << level
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    below = around.warp.to_below(np.stack([xs, ys], -1) * step) / step
    low, high = np.floor(below.min((0, 1))).astype(int) - 2, np.ceil(below.max((0, 1))).astype(int) + 2
    inside = around.bounds.at_level(level)
    part = Rect(int(low[0]), int(low[1]), int(high[0]), int(high[1])).intersect(inside)
    if part.empty:
        return np.zeros((rect.height, rect.width), np.float32)
    maps = (below - (part.x0 + 0.5, part.y0 + 0.5)).astype(np.float32)
    return cv2.remap(read(part, level), maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
