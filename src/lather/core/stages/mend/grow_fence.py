"""A fence grown from one place to the edges around it."""

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.job.fence import Fence
from lather.core.types import Rect, as_float32

_WORK_SIDE = 900
_LEAST_AREA_PX = 30


def grow_fence(photo: Photo, x: float, y: float, *, tolerance_de: float = 6.0, feather_px: float = 4.0,
               near: Rect | None = None) -> Fence | None:
    """Flood from (x, y) through what changes by less than `tolerance_de` from pixel to pixel; holes are closed.

    near: look only inside this rectangle (what is on screen). None if nothing grows.
    """
    area = (near or photo.bounds).intersect(photo.bounds)
    if area.empty or not (area.x0 <= x < area.x1 and area.y0 <= y < area.y1):
        return None
    level = 0
    while max(area.width, area.height) >> (level + 1) >= _WORK_SIDE:
        level += 1
    rect = area.at_level(level).intersect(photo.level_bounds(level))
    lab = profiles.to_lab(as_float32(photo.codes(level)[rect.y0 : rect.y1, rect.x0 : rect.x1]), photo.profile)
    smooth = cv2.bilateralFilter(np.ascontiguousarray(lab), 7, 8.0, 3.0)
    seed = (min(int(x) >> level, rect.x1 - 1) - rect.x0, min(int(y) >> level, rect.y1 - 1) - rect.y0)
    mask = np.zeros((smooth.shape[0] + 2, smooth.shape[1] + 2), np.uint8)
    step = (tolerance_de / 4,) * 3
    cv2.floodFill(smooth, mask, seed, 0, step, step, 4 | cv2.FLOODFILL_MASK_ONLY | (255 << 8))
    grown = cv2.morphologyEx(mask[1:-1, 1:-1], cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    contours, _ = cv2.findContours(grown, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    contour = max(contours, key=cv2.contourArea)
    if cv2.contourArea(contour) < _LEAST_AREA_PX:
        return None
    corners = cv2.approxPolyDP(contour, 0.8, True)[:, 0].astype(float)
    ring = tuple(((cx + 0.5 + rect.x0) * (1 << level), (cy + 0.5 + rect.y0) * (1 << level)) for cx, cy in corners)
    return Fence((ring,), feather_px)
