"""Finished pixels to what the screen takes: 8-bit BGRX through the display's profile."""

import numpy as np
from numba import njit
from PyQt6.QtGui import QImage

from lather.core.colour import profiles
from lather.core.types import EncodedRGB


@njit(cache=True, nogil=True, fastmath=True)
def _to_bgrx(values, out):  # pragma: no cover - compiled
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            for c in range(3):
                v = values[y, x, 2 - c] * np.float32(255.0) + np.float32(0.5)
                out[y, x, c] = np.uint8(min(max(v, np.float32(0.0)), np.float32(255.0)))
            out[y, x, 3] = 255


class DisplayConverter:
    """From the photo's profile to the display's (sRGB where none is known)."""

    def __init__(self, photo_profile: bytes | None, display_profile: bytes | None = None):
        self._lut = profiles.display_lut(photo_profile, display_profile)

    def bgrx(self, values: EncodedRGB) -> np.ndarray:
        """uint8 (h, w, 4)."""
        values = np.ascontiguousarray(profiles.apply_display_lut(values, self._lut), np.float32)
        out = np.empty((*values.shape[:2], 4), np.uint8)
        _to_bgrx(values, out)
        return out


class TileImage:
    """A QImage over pixels of our own, so that part of it can be written again while the pen moves."""

    def __init__(self, bgrx: np.ndarray):
        self.pixels = np.ascontiguousarray(bgrx)
        height, width = bgrx.shape[:2]
        self.image = QImage(self.pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)

    def copy(self) -> "TileImage":
        return TileImage(self.pixels.copy())
