"""A part of the photo at a size that suits a face, whatever the photo's own."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.types import EncodedRGB, Rect, as_float32

_FACE_PX = 640  # a face is looked at no larger than twice, and where it can be no smaller than this
_ROOM = 0.9  # of a face's size more on each side: hairline and chin


@dataclass(frozen=True)
class Close:
    """pixels: sRGB-like 0-1. Pixel (0, 0) begins at `origin` (source px); each is `scale` source px wide."""

    pixels: EncodedRGB
    origin: np.ndarray
    scale: float

    def to_source(self, places: np.ndarray) -> np.ndarray:
        """Places (n, 2) of this picture, on the photo."""
        return np.asarray(places, float) * self.scale + self.origin

    def from_source(self, places: np.ndarray) -> np.ndarray:
        """Places (n, 2) of the photo, on this picture."""
        return (np.asarray(places, float) - self.origin) / self.scale


def look_closer(photo, x0: float, y0: float, x1: float, y1: float) -> Close:
    """The photo around a box of source px. photo: an `engine.photo.Photo`."""
    size = max(x1 - x0, y1 - y0, 1.0)
    level = 0
    while size / (1 << (level + 1)) >= _FACE_PX:
        level += 1
    room = _ROOM * size
    area = Rect(int(x0 - room), int(y0 - room), int(x1 + room) + 1, int(y1 + room) + 1).intersect(photo.bounds)
    rect = area.at_level(level).intersect(photo.level_bounds(level))
    values = as_float32(photo.codes(level)[rect.y0 : rect.y1, rect.x0 : rect.x1])
    if not profiles.is_srgb(photo.profile):
        values = profiles.convert(values, photo.profile, profiles.srgb_profile())
    scale, origin = float(1 << level), np.array([rect.x0, rect.y0], float) * (1 << level)
    shrink = _FACE_PX / (size / scale)
    if shrink < 0.75:
        height, width = values.shape[:2]
        values = cv2.resize(values, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
        scale *= (width / values.shape[1] + height / values.shape[0]) / 2
    return Close(np.ascontiguousarray(values), origin, scale)
