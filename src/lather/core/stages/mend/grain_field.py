"""Grain for what is laid down without a source: the same noise at the same place, so that tiles meet."""

import cv2
import numpy as np
from numba import njit

from lather.core.types import Rect

_SIZE_PX = 0.6
_LEVEL = np.float32(0.01)
_MARGIN = 3


@njit(cache=True, nogil=True)
def _noise(x0, y0, out):  # pragma: no cover - compiled
    """Nearly normal noise from a hash of the place: three uniform numbers, summed."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            h = np.uint32(x + x0) * np.uint32(374761393) + np.uint32(y + y0) * np.uint32(668265263)
            total = np.float32(0.0)
            for _ in range(3):
                h = (h ^ (h >> np.uint32(13))) * np.uint32(1274126177)
                h = h ^ (h >> np.uint32(16))
                total += np.float32(h & np.uint32(0xFFFF)) / np.float32(65536.0) - np.float32(0.5)
            out[y, x] = total * np.float32(2.0)


def grain(rect: Rect) -> np.ndarray:
    """Grey noise of standard deviation 0.01 and about 0.6 px grain, float32 (h, w, 3), fixed to the picture."""
    wide = rect.expand(_MARGIN)
    noise = np.empty((wide.height, wide.width), np.float32)
    _noise(wide.x0 + (1 << 20), wide.y0 + (1 << 20), noise)
    kernel = cv2.getGaussianKernel(2 * _MARGIN + 1, _SIZE_PX).ravel()
    noise = cv2.GaussianBlur(noise, (2 * _MARGIN + 1,) * 2, _SIZE_PX) / np.float32((kernel**2).sum())
    inner = noise[_MARGIN:-_MARGIN, _MARGIN:-_MARGIN] * _LEVEL
    return np.repeat(inner[..., None], 3, -1)
