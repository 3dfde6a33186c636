"""Finished pixels to what the screen takes: 8-bit BGRX through the display's profile."""

import numpy as np
from PyQt6.QtGui import QImage

from lather.core.colour import profiles
from lather.core.colour.screen import bgrx_codes
from lather.core.types import EncodedRGB


class DisplayConverter:
    """From the photo's profile to the display's (sRGB where none is known)."""

    def __init__(self, photo_profile: bytes | None, display_profile: bytes | None = None):
        self._lut = profiles.display_lut(photo_profile, display_profile)

    def bgrx(self, values: EncodedRGB) -> np.ndarray:
        """uint8 (h, w, 4)."""
        return bgrx_codes(profiles.apply_display_lut(values, self._lut))


class TileImage:
    """A QImage over pixels of our own, so that part of it can be written again while the pen moves."""

    def __init__(self, bgrx: np.ndarray):
        self.pixels = np.ascontiguousarray(bgrx)
        height, width = bgrx.shape[:2]
        self.image = QImage(self.pixels.data, width, height, width * 4, QImage.Format.Format_RGB32)

    def copy(self) -> "TileImage":
        return TileImage(self.pixels.copy())
