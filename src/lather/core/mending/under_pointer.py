"""Size and edge proposed for a brush from what lies under the pointer."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.people.guard import Guard
from lather.core.types import Lab, Mask, Rect, as_float32

_SIZES = 4.0 * 1.22 ** np.arange(16)
_LEAST_CHANGE = 0.8
_STANDS_OUT = 0.45  # of the largest change, from which a smaller scale is the spot
_RIM_PX = 2  # of an edge, that is left out beside it


@dataclass(frozen=True)
class UnderPointer:
    """A brush for the spot here: diameter in source px and softness 0-1; contrast of the spot in ΔE76."""

    size_px: float
    edge: float
    contrast: float


def look_under(photo: Photo, x: float, y: float, largest_px: float = 80.0, guard: Guard | None = None
               ) -> UnderPointer | None:
    """The scale at which the place differs most from the skin around it (Lindeberg 1998); None on even skin.

    guard: what lies beyond an edge of the person, or of a part, is not looked at.
    """
    reach = int(1.2 * largest_px)
    rect = Rect(int(x) - reach, int(y) - reach, int(x) + reach, int(y) + reach).intersect(photo.bounds)
    if min(rect.width, rect.height) < 16 or not (rect.x0 <= x < rect.x1 and rect.y0 <= y < rect.y1):
        return None
    lab = profiles.to_lab(as_float32(photo.codes(0)[rect.y0 : rect.y1, rect.x0 : rect.x1]), photo.profile)
    column, row = int(x) - rect.x0, int(y) - rect.y0
    weight = np.ones(lab.shape[:2], np.float32)
    if guard is not None:
        alike = guard.alike(rect, x, y).astype(np.uint8)
        weight = cv2.erode(alike, np.ones((2 * _RIM_PX + 1,) * 2, np.uint8)).astype(np.float32)
        if weight[row, column] == 0:  # nearer to an edge than it is soft
            weight = alike.astype(np.float32)
    sizes = [s for s in _SIZES if s <= largest_px]
    changes = []
    for size in sizes:
        s = 0.32 * size
        near, around = (_mean(lab, weight, sigma, row, column) for sigma in (s, 2.1 * s))
        changes.append(float(np.linalg.norm(near - around)))
    best = _first_peak(np.array(changes))
    if changes[best] < _LEAST_CHANGE:
        return None
    sharp = changes[max(0, best - 3)] / changes[best]  # a soft spot loses more when looked at smaller
    return UnderPointer(
        float(1.6 * sizes[best] + 4), float(np.clip(0.15 + 0.5 * (1 - sharp), 0.15, 0.6)), changes[best]
    )


def _first_peak(changes: np.ndarray) -> int:
    """Index of the smallest scale that stands out by itself: the shading of the face, which grows with the scale, may
    stand out more."""
    padded = np.concatenate([[-1.0], changes, [-1.0]])
    peaks = np.flatnonzero((changes > padded[:-2]) & (changes >= padded[2:]))
    return int(next(n for n in peaks if changes[n] >= _STANDS_OUT * changes.max()))


def _mean(lab: Lab, weight: Mask, sigma: float, row: int, column: int) -> np.ndarray:
    """Mean colour (3,) around a place, by a Gaussian over what counts."""
    reach = int(np.ceil(3 * sigma))
    part = tuple(slice(max(0, at - reach), min(most, at + reach + 1))
                 for at, most in zip((row, column), weight.shape))
    ys, xs = np.mgrid[part]
    window = weight[part] * np.exp(-0.5 * ((ys - row) ** 2 + (xs - column) ** 2) / sigma**2)
    return (lab[part] * window[..., None]).sum((0, 1)) / max(float(window.sum()), 1e-6)
