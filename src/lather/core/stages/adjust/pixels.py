"""Changes told in Lab, laid on encoded RGB: what is not changed stays the same to the last bit, and nothing new clips.

Values are taken for sRGB's. Photos in other profiles keep their own numbers: what is told in Lab is then a little more
or less in their colours, and the same change everywhere.
"""

from collections.abc import Callable

import numpy as np

from lather.core.colour.lab import RGB_TO_XYZ_D50, WHITE_D50, srgb_to_lab_by_tables
from lather.core.loops import loop
from lather.core.threads import ARITHMETIC
from lather.core.types import EncodedRGB, Lab, Mask

_STEPS = 4096
_ROOTS = np.arange(_STEPS + 2, dtype=np.float64) / _STEPS
_ENCODED_OF_ROOT = np.where(
    _ROOTS**2 <= 0.0031308, 12.92 * _ROOTS**2, 1.055 * np.maximum(_ROOTS, 1e-12) ** (2 / 2.4) - 0.055
).astype(np.float32)
_XYZ_TO_RGB = (np.linalg.inv(RGB_TO_XYZ_D50.astype(np.float64)) * WHITE_D50[None, :]).astype(np.float32)
_LARGE = 600_000  # values from which it is worth two threads
_LOW, _HIGH = np.float32(1.02 / 255), np.float32(253.98 / 255)
"""Between these a change stays, unless a value lay outside before: what the clipping lamp shows, with some room."""


def to_lab(pixels: EncodedRGB) -> Lab:
    """Within 0.05 of Lab (D50)."""
    return halves(srgb_to_lab_by_tables, pixels)


def halves(work: Callable[..., np.ndarray], *arrays: np.ndarray) -> np.ndarray:
    """`work` on arrays (h, w, …) that lie over each other; large ones in two halves at the same time."""
    middle = arrays[0].shape[0] // 2
    if arrays[0].size < _LARGE or not middle:
        return work(*arrays)
    lower = ARITHMETIC.submit(lambda: work(*(one[middle:] for one in arrays)))
    upper = work(*(one[:middle] for one in arrays))
    return np.concatenate([upper, lower.result()])


def changed(pixels: EncodedRGB, lab: Lab, change: Lab, coverage: Mask, *, clips: bool = False) -> EncodedRGB:
    """Pixels (h, w, 3) moved by coverage × a change in Lab: a new array. lab: of the pixels, by `to_lab`.

    A pixel whose change is 0 is untouched. clips: the change was asked for as far as it goes, into the ends of the
    range as well; else a change that would clip is only made as far as there is room, its hue kept.
    """

    def work(pixels, lab, change, coverage) -> EncodedRGB:
        out = np.empty(pixels.shape, np.float32)
        _change(pixels, lab, change, coverage, _XYZ_TO_RGB, _ENCODED_OF_ROOT, clips, out)
        return out

    return halves(work, *(np.ascontiguousarray(one, np.float32) for one in (pixels, lab, change, coverage)))


@loop(fastmath=True, inline=True)
def _inverse(f):  # pragma: no cover - compiled
    return f * f * f if f > np.float32(6 / 29) else (np.float32(116) * f - np.float32(16)) / np.float32(24389 / 27)


@loop(fastmath=True, inline=True)
def _encoded(linear, table):  # pragma: no cover - compiled
    """By a table of the square root; beyond the gamut it goes on straight."""
    if linear <= np.float32(0):
        return np.float32(12.92) * linear
    if linear >= np.float32(1):
        return np.float32(1) + (linear - np.float32(1)) * np.float32(1.055 / 2.4)
    at = np.sqrt(linear) * np.float32(_STEPS)
    i = np.int32(at)
    return table[i] + (at - np.float32(i)) * (table[i + 1] - table[i])


@loop("f4[:, :, ::1], f4[:, :, ::1], f4[:, :, ::1], f4[:, ::1], f4[:, ::1], f4[::1], b1, f4[:, :, ::1]", fastmath=True)
def _change(pixels, lab, change, coverage, m, table, clips, out):  # pragma: no cover - compiled
    one, zero, low, high = np.float32(1), np.float32(0), np.float32(_LOW), np.float32(_HIGH)
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            r, g, b = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2]
            cover = coverage[y, x]
            dl, da, db = cover * change[y, x, 0], cover * change[y, x, 1], cover * change[y, x, 2]
            if dl == zero and da == zero and db == zero:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
                continue
            fy = (lab[y, x, 0] + np.float32(16)) / np.float32(116)
            fx, fz = fy + lab[y, x, 1] / np.float32(500), fy - lab[y, x, 2] / np.float32(200)
            X, Y, Z = _inverse(fx), _inverse(fy), _inverse(fz)
            step = dl / np.float32(116)
            fy, fx, fz = fy + step, fx + step + da / np.float32(500), fz + step - db / np.float32(200)
            X2, Y2, Z2 = _inverse(fx), _inverse(fy), _inverse(fz)
            dr = _encoded(m[0, 0] * X2 + m[0, 1] * Y2 + m[0, 2] * Z2, table) - _encoded(
                m[0, 0] * X + m[0, 1] * Y + m[0, 2] * Z, table)
            dg = _encoded(m[1, 0] * X2 + m[1, 1] * Y2 + m[1, 2] * Z2, table) - _encoded(
                m[1, 0] * X + m[1, 1] * Y + m[1, 2] * Z, table)
            dblue = _encoded(m[2, 0] * X2 + m[2, 1] * Y2 + m[2, 2] * Z2, table) - _encoded(
                m[2, 0] * X + m[2, 1] * Y + m[2, 2] * Z, table)
            share = one
            if clips:
                out[y, x, 0] = min(max(r + dr, min(zero, r)), max(one, r))
                out[y, x, 1] = min(max(g + dg, min(zero, g)), max(one, g))
                out[y, x, 2] = min(max(b + dblue, min(zero, b)), max(one, b))
                continue
            share = min(_room(r, dr, low, high), _room(g, dg, low, high), _room(b, dblue, low, high))
            out[y, x, 0] = min(max(r + share * dr, min(low, r)), max(high, r))
            out[y, x, 1] = min(max(g + share * dg, min(low, g)), max(high, g))
            out[y, x, 2] = min(max(b + share * dblue, min(low, b)), max(high, b))


@loop(fastmath=True, inline=True)
def _room(value, step, low, high):  # pragma: no cover - compiled
    """Share of a step that keeps a value inside; one that lies outside already is held where it is by itself, so that
    the others may move: burnt skin is darkened though its red stays full.
    """
    if step > np.float32(0) and value < high and value + step > high:
        return (high - value) / step
    if step < np.float32(0) and value > low and value + step < low:
        return (value - low) / -step
    return np.float32(1)
