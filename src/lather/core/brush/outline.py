"""Coverage of an area given by its outline."""

import cv2
import numpy as np

from lather.core.types import Mask, Rect


def polygon_coverage(rings, rect: Rect, feather_px: float) -> Mask:
    """Even-odd polygons filled, rising from 0 at the rim to 1 at `feather_px` inside; nothing outside the rim."""
    margin = int(np.ceil(feather_px)) + 2
    wide = rect.expand(margin)
    filled = np.zeros((wide.height, wide.width), np.uint8)
    shifted = [
        np.round((np.array(ring, float) - [wide.x0 + 0.5, wide.y0 + 0.5]) * 16).astype(np.int32) for ring in rings
    ]
    cv2.fillPoly(filled, shifted, 255, cv2.LINE_AA, 4)
    inner = np.s_[margin : margin + rect.height, margin : margin + rect.width]
    if feather_px <= 1.0:
        return filled[inner].astype(np.float32) / 255
    deep = cv2.distanceTransform((filled > 127).astype(np.uint8), cv2.DIST_L2, 5)[inner]
    t = np.clip(deep / feather_px, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)
