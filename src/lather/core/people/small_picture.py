"""The photo at about 1000 px, in sRGB: what is told of the whole picture is told of this."""

import cv2

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.types import EncodedRGB, as_float32

WORK_SIDE = 1000


def small_picture(photo: Photo) -> EncodedRGB:
    """The photo in sRGB, its long side about 1000 px (its own where it is smaller)."""
    level = 0
    while max(photo.level_bounds(level + 1)[2:]) >= WORK_SIDE:
        level += 1
    values = as_float32(photo.codes(level))
    shrink = min(1.0, WORK_SIDE / max(values.shape[:2]))
    if shrink < 1:
        values = cv2.resize(values, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    if not profiles.is_srgb(photo.profile):
        values = profiles.convert(values, photo.profile, profiles.srgb_profile())
    return values
