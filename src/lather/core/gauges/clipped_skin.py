"""Skin that clips where it did not before: burnt, or black."""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared

_LOW, _HIGH = 0.5 / 255, 254.5 / 255
_SIDE = 2000


def measure(pictures: Compared) -> float | None:
    """Share of skin, in %, that clips in the retouch and did not in the photo."""
    photo, level = pictures.measures.photo, 0
    while max(photo.level_bounds(level)[2:]) > _SIDE:
        level += 1
    bounds = photo.level_bounds(level)
    skin = cv2.resize(pictures.skin, bounds[2:], interpolation=cv2.INTER_LINEAR) > 0.5
    if not skin.any():
        return None
    was, now = (((p <= _LOW) | (p >= _HIGH)).any(-1) for p in (pictures.before(bounds, level),
                                                               pictures.after(bounds, level)))
    return 100 * float(np.mean((now & ~was)[skin]))


GAUGE = Gauge("clipped_skin", "Clipped skin", "%", measure, track=5.0, written="{:.1f} %",
              lowered_by="a black or white point further out",
              stages=("colour", "crisp", "finish", "sculpt"))
