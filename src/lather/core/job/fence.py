"""A fence: an area that confines strokes, as polygons with a feather. Values only."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from lather.core.types import Mask, Rect


@dataclass(frozen=True)
class Fence:
    """rings: polygons in source px, even-odd (a ring inside a ring is a hole). feather_px: inwards from the rim."""

    rings: tuple[tuple[tuple[float, float], ...], ...]
    feather_px: float = 4.0

    @cached_property
    def bounds(self) -> Rect:
        points = np.array([p for ring in self.rings for p in ring], float).reshape(-1, 2)
        if not len(points):
            return Rect(0, 0, 0, 0)
        low, high = np.floor(points.min(0)).astype(int), np.ceil(points.max(0)).astype(int)
        return Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)

    def coverage(self, rect: Rect) -> Mask:
        """Coverage 0-1 of a rectangle, float32 (h, w); 0 outside the fence."""
        return polygon_coverage(self.rings, rect, self.feather_px)

    def to_json(self) -> dict:
        return {
            "rings": [[[round(x, 2), round(y, 2)] for x, y in ring] for ring in self.rings],
            "feather_px": self.feather_px,
        }

    @classmethod
    def from_json(cls, data: dict) -> "Fence":
        return cls(
            tuple(tuple((float(x), float(y)) for x, y in ring) for ring in data["rings"]),
            float(data.get("feather_px", 4.0)),
        )


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
