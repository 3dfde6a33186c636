"""Grain made new: the same noise at the same place of the picture at every level, so that tiles meet."""

from functools import lru_cache

import cv2
import numpy as np
from numba import njit

from lather.core.levels import halve
from lather.core.types import Rect

_SHIFT = 1 << 20  # margins left of and above the picture stay positive
_COLOUR_SALT = np.array([0, 7919, 104729, 1299709], np.int64)


@njit(cache=True, nogil=True)
def _noise(x0, y0, salt, out):  # pragma: no cover - compiled
    """Nearly normal noise from a hash of the place: three uniform numbers, summed."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            h = np.uint32(x + x0) * np.uint32(374761393) + np.uint32(y + y0) * np.uint32(668265263) + np.uint32(salt)
            total = np.float32(0.0)
            for _ in range(3):
                h = (h ^ (h >> np.uint32(13))) * np.uint32(1274126177)
                h = h ^ (h >> np.uint32(16))
                total += np.float32(h & np.uint32(0xFFFF)) / np.float32(65536.0) - np.float32(0.5)
            out[y, x] = total * np.float32(2.0)


def _plane(rect: Rect, size_px: float, salt: int) -> np.ndarray:
    margin = int(np.ceil(4 * size_px)) + 1
    wide = rect.expand(margin)
    noise = np.empty((wide.height, wide.width), np.float32)
    _noise(wide.x0 + _SHIFT, wide.y0 + _SHIFT, salt, noise)
    if size_px > 0.2:
        side = 2 * margin + 1
        kernel = cv2.getGaussianKernel(side, size_px).ravel()
        noise = cv2.sepFilter2D(noise, cv2.CV_32F, kernel, kernel) / np.float32((kernel**2).sum())
    return noise[margin:-margin, margin:-margin]


def _field(rect: Rect, size_px: float, chroma_share: float) -> np.ndarray:
    field = np.repeat(_plane(rect, size_px, 0)[..., None], 3, -1)
    if chroma_share > 0:
        for channel in range(3):
            field[..., channel] += np.float32(chroma_share) * _plane(rect, size_px, int(_COLOUR_SALT[channel + 1]))
        field /= np.float32(np.sqrt(1 + chroma_share**2))
    return field


@lru_cache(maxsize=128)
def _tile(rect: Rect, level: int, bounds: Rect | None, size_px: float, chroma_share: float) -> np.ndarray:
    if level:
        whole = rect.from_level(level)
        field = _field(whole if bounds is None else whole.intersect(bounds), size_px, chroma_share)
        for _ in range(level):
            field = halve(field)
    else:
        field = _field(rect, size_px, chroma_share)
    field.setflags(write=False)
    return field


def grain_noise(
    rect: Rect, level: int = 0, *, size_px: float, chroma_share: float = 0.0, bounds: Rect | None = None
) -> np.ndarray:
    """Noise of standard deviation 1 (at level 0), float32 (h, w, 3), read-only, fixed to the picture.

    size_px: Gaussian radius of a grain. chroma_share: colour noise against luminance noise, 0-1. Higher levels are
    the means of the level below, as for any picture; bounds: the picture, whose edge repeats where it is odd.
    """
    return _tile(rect, level, bounds, round(size_px, 2), round(chroma_share, 2))
