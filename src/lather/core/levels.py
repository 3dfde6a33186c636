"""Halving: a pixel of level n + 1 is the mean of 2×2 pixels of level n; odd borders repeat their edge."""

import numpy as np

from lather.core.loops import loop


@loop("const(u1[:, :, ::1]), i8, u2[:, :, ::1]", "const(u2[:, :, ::1]), i8, u2[:, :, ::1]", fastmath=True)
def _halve_codes(codes, scale, out):  # pragma: no cover - compiled
    height, width = codes.shape[0], codes.shape[1]
    for y in range(out.shape[0]):
        y0 = 2 * y
        y1 = min(2 * y + 1, height - 1)
        for x in range(out.shape[1]):
            x0 = 2 * x
            x1 = min(2 * x + 1, width - 1)
            for c in range(3):
                total = (
                    np.int64(codes[y0, x0, c]) + codes[y0, x1, c] + codes[y1, x0, c] + codes[y1, x1, c]
                ) * scale
                out[y, x, c] = (total + 2) // 4


def halve_codes(codes: np.ndarray) -> np.ndarray:
    """uint8 or uint16 (h, w, 3) to uint16 at half size; rounding errs by at most 1/131070."""
    out = np.empty(((codes.shape[0] + 1) // 2, (codes.shape[1] + 1) // 2, 3), np.uint16)
    _halve_codes(codes, 257 if codes.dtype == np.uint8 else 1, out)
    return out


def halve(values: np.ndarray) -> np.ndarray:
    """float32 (h, w, …) to half size, the same rule."""
    if values.shape[0] % 2 or values.shape[1] % 2:
        pad = [(0, values.shape[0] % 2), (0, values.shape[1] % 2)] + [(0, 0)] * (values.ndim - 2)
        values = np.pad(values, pad, mode="edge")
    quarter = np.float32(0.25)
    return (values[::2, ::2] + values[1::2, ::2] + values[::2, 1::2] + values[1::2, 1::2]) * quarter
