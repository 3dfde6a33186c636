"""Finished pixels as codes that a screen takes."""

import numpy as np

from lather.core.loops import loop
from lather.core.types import EncodedRGB


@loop("const(f4[:, :, ::1]), u1[:, :, ::1]", fastmath=True)
def _to_bgrx(values, out):  # pragma: no cover - compiled
    for y in range(values.shape[0]):
        for x in range(values.shape[1]):
            for c in range(3):
                v = values[y, x, 2 - c] * np.float32(255.0) + np.float32(0.5)
                out[y, x, c] = np.uint8(min(max(v, np.float32(0.0)), np.float32(255.0)))
            out[y, x, 3] = 255


def bgrx_codes(values: EncodedRGB) -> np.ndarray:
    """uint8 (h, w, 4): blue, green, red, 255, each rounded; what is out of range is clipped."""
    out = np.empty((*values.shape[:2], 4), np.uint8)
    _to_bgrx(np.ascontiguousarray(values, np.float32), out)
    return out
