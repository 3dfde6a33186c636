"""Size and edge proposed for a brush from what lies under the pointer."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.types import Rect, as_float32

_SIZES = 4.0 * 1.22 ** np.arange(16)
_LEAST_CHANGE = 0.8


@dataclass(frozen=True)
class UnderPointer:
    """A brush for the spot here: diameter in source px and softness 0-1; contrast of the spot in ΔE76."""

    size_px: float
    edge: float
    contrast: float


def look_under(photo: Photo, x: float, y: float, largest_px: float = 80.0) -> UnderPointer | None:
    """The scale at which the place differs most from the skin around it (Lindeberg 1998); None on even skin."""
    reach = int(1.2 * largest_px)
    rect = Rect(int(x) - reach, int(y) - reach, int(x) + reach, int(y) + reach).intersect(photo.bounds)
    if min(rect.width, rect.height) < 16 or not (rect.x0 <= x < rect.x1 and rect.y0 <= y < rect.y1):
        return None
    lab = profiles.to_lab(as_float32(photo.codes(0)[rect.y0 : rect.y1, rect.x0 : rect.x1]), photo.profile)
    column, row = int(x) - rect.x0, int(y) - rect.y0
    sizes = [s for s in _SIZES if s <= largest_px]
    changes = []
    for size in sizes:
        s = 0.32 * size
        around = cv2.GaussianBlur(lab, (0, 0), 2.1 * s)
        changes.append(float(np.linalg.norm(cv2.GaussianBlur(lab, (0, 0), s)[row, column] - around[row, column])))
    best = int(np.argmax(changes))
    if changes[best] < _LEAST_CHANGE:
        return None
    sharp = changes[max(0, best - 3)] / changes[best]  # a soft spot loses more when looked at smaller
    return UnderPointer(
        float(1.6 * sizes[best] + 4), float(np.clip(0.15 + 0.5 * (1 - sharp), 0.15, 0.6)), changes[best]
    )
