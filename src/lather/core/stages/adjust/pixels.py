"""Changes told in Lab, laid on encoded RGB: what is not changed stays the same to the last bit, and nothing new clips.

Values are taken for sRGB's. Photos in other profiles keep their own numbers: what is told in Lab is then a little more
or less in their colours, and the same change everywhere.
"""

import numpy as np
from numba import njit

from lather.core.colour.lab import RGB_TO_XYZ_D50, WHITE_D50, srgb_to_lab_by_tables
from lather.core.types import EncodedRGB, Lab, Mask

_STEPS = 4096
_ROOTS = np.arange(_STEPS + 2, dtype=np.float64) / _STEPS
_ENCODED_OF_ROOT = np.where(_ROOTS**2 <= 0.0031308, 12.92 * _ROOTS**2, 1.055 * np.maximum(_ROOTS, 1e-12) ** (2 / 2.4)
                            - 0.055).astype(np.float32)
_XYZ_TO_RGB = (np.linalg.inv(RGB_TO_XYZ_D50.astype(np.float64)) * WHITE_D50[None, :]).astype(np.float32)
_LOW, _HIGH = np.float32(1.02 / 255), np.float32(253.98 / 255)
"""Between these a change stays, unless a value lay outside them before: what the clipping lamp shows, with some room."""


def to_lab(pixels: EncodedRGB) -> Lab:
    """Within 0.05 of Lab (D50)."""
    return srgb_to_lab_by_tables(pixels)


def changed(pixels: EncodedRGB, lab: Lab, change: Lab, coverage: Mask, *, clips: bool = False) -> EncodedRGB:
    """Pixels (h, w, 3) moved by coverage × a change in Lab: a new array. lab: of the pixels, by `to_lab`.

    A pixel whose change is 0 is untouched. clips: the change was asked for as far as it goes, into the ends of the
    range as well; else a change that would clip is only made as far as there is room, its hue kept.
    """
    out = np.empty_like(pixels)
    _change(pixels, np.ascontiguousarray(lab, np.float32), np.ascontiguousarray(change, np.float32),
            np.ascontiguousarray(coverage, np.float32), _XYZ_TO_RGB, _ENCODED_OF_ROOT, clips, out)
    return out


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _inverse(f):  # pragma: no cover - compiled
    return f * f * f if f > np.float32(6 / 29) else (np.float32(116) * f - np.float32(16)) / np.float32(24389 / 27)


@njit(cache=True, nogil=True, fastmath=True)
def _rgb(light, a, b, matrix, encoded, out):  # pragma: no cover - compiled
    """Encoded RGB of a Lab colour; goes on straight beyond the gamut."""
    one, steps, zero = np.float32(1), np.float32(_STEPS), np.float32(0)
    fy = (light + np.float32(16)) / np.float32(116)
    x, y, z = _inverse(fy + a / np.float32(500)), _inverse(fy), _inverse(fy - b / np.float32(200))
    for c in range(3):
        linear = matrix[c, 0] * x + matrix[c, 1] * y + matrix[c, 2] * z
        if linear <= zero:
            out[c] = np.float32(12.92) * linear
        elif linear >= one:
            out[c] = one + (linear - one) * np.float32(1.055 / 2.4)
        else:
            at = np.sqrt(linear) * steps
            i = np.int32(at)
            out[c] = encoded[i] + (at - np.float32(i)) * (encoded[i + 1] - encoded[i])


@njit(cache=True, nogil=True, fastmath=True)
def _change(pixels, lab, change, coverage, matrix, encoded, clips, out):  # pragma: no cover - compiled
    was, now = np.empty(3, np.float32), np.empty(3, np.float32)
    one, zero = np.float32(1), np.float32(0)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            cover = coverage[y, x]
            dl, da, db = cover * change[y, x, 0], cover * change[y, x, 1], cover * change[y, x, 2]
            if dl == zero and da == zero and db == zero:
                for c in range(3):
                    out[y, x, c] = pixels[y, x, c]
                continue
            light, a, b = lab[y, x, 0], lab[y, x, 1], lab[y, x, 2]
            _rgb(light, a, b, matrix, encoded, was)
            _rgb(light + dl, a + da, b + db, matrix, encoded, now)
            share = one
            if not clips:
                for c in range(3):
                    value, step = pixels[y, x, c], now[c] - was[c]
                    if step > zero and value + step > _HIGH:
                        share = min(share, max(zero, _HIGH - value) / step)
                    elif step < zero and value + step < _LOW:
                        share = min(share, max(zero, value - _LOW) / -step)
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] + share * (now[c] - was[c])
                if clips:
                    out[y, x, c] = min(max(out[y, x, c], min(zero, pixels[y, x, c])), max(one, pixels[y, x, c]))
