"""CIE L*a*b* under D50 (CIE 15:2018) and CIEDE2000 (Sharma, Wu and Dalal 2005)."""

import numpy as np

from lather.core.colour import srgb
from lather.core.loops import loop

# sRGB primaries adapted to D50 with the Bradford transform, as in the ICC's sRGB profile.
RGB_TO_XYZ_D50 = np.array(
    [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]],
    np.float32,
)
WHITE_D50 = np.array([0.9642957, 1.0, 0.8251046], np.float32)


def xyz_to_lab(xyz: np.ndarray) -> np.ndarray:
    """XYZ (Y of white = 1, D50) to Lab, shape (..., 3)."""
    ratio = np.asarray(xyz, np.float32) / WHITE_D50
    f = np.where(ratio > 216 / 24389, np.cbrt(np.maximum(ratio, 0)), (24389 / 27 * ratio + 16) / 116)
    lightness = 116 * f[..., 1] - 16
    return np.stack([lightness, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1).astype(np.float32)


def srgb_to_lab(encoded: np.ndarray) -> np.ndarray:
    """Encoded sRGB 0-1, shape (..., 3), to Lab."""
    return xyz_to_lab(srgb.decode(encoded) @ RGB_TO_XYZ_D50.T)


_STEPS = 4096
_ROOTS = np.arange(_STEPS + 2, dtype=np.float64) / _STEPS
_LIGHTNESS_OF_ROOT = np.where(_ROOTS**2 > 216 / 24389, 116 * _ROOTS ** (2 / 3) - 16, 24389 / 27 * _ROOTS**2)
_LIGHTNESS_OF_ROOT = _LIGHTNESS_OF_ROOT.astype(np.float32)  # L* by the square root of the luminance: even steps suffice


def srgb_lightness(encoded: np.ndarray) -> np.ndarray:
    """L* alone of encoded sRGB, held to 0-1, shape (..., 3); returns shape (...). By tables, within 0.001."""
    encoded = np.asarray(encoded, np.float32, order="C")
    out = np.empty(encoded.shape[:-1], np.float32)
    _lightness(encoded.reshape(-1, 3), srgb.TABLE.astype(np.float32), _LIGHTNESS_OF_ROOT, RGB_TO_XYZ_D50[1],
               out.reshape(-1))
    return out


@loop("f4[:, ::1], f4[::1], f4[::1], f4[::1], f4[::1]", fastmath=True)
def _lightness(pixels, linear, lightness, weights, out):  # pragma: no cover - compiled
    one, steps = np.float32(1), np.float32(_STEPS)
    for n in range(out.size):
        luminance = np.float32(0)
        for c in range(3):
            at = min(max(pixels[n, c], np.float32(0)), one) * steps
            i = np.int32(at)
            luminance += weights[c] * (linear[i] + (at - np.float32(i)) * (linear[i + 1] - linear[i]))
        at = np.sqrt(min(luminance, one)) * steps
        i = np.int32(at)
        out[n] = lightness[i] + (at - np.float32(i)) * (lightness[i + 1] - lightness[i])


_ROOT_OF = np.where(_ROOTS**2 > 216 / 24389, np.cbrt(_ROOTS**2), (24389 / 27 * _ROOTS**2 + 16) / 116).astype(np.float32)


def srgb_to_lab_by_tables(encoded: np.ndarray) -> np.ndarray:
    """Encoded sRGB, held to 0-1, shape (h, w, 3), to Lab within 0.05: to be looked at, not to be measured by."""
    encoded = np.asarray(encoded, np.float32, order="C")
    out = np.empty_like(encoded)
    weights = (RGB_TO_XYZ_D50 / WHITE_D50[:, None]).astype(np.float32)
    _lab_by_tables(encoded.reshape(-1, 3), srgb.TABLE.astype(np.float32), _ROOT_OF, weights, out.reshape(-1, 3))
    return out


@loop("f4[:, ::1], f4[::1], f4[::1], f4[:, ::1], f4[:, ::1]", fastmath=True)
def _lab_by_tables(pixels, linear, root, weights, out):  # pragma: no cover - compiled
    one, steps = np.float32(1), np.float32(_STEPS)
    for n in range(pixels.shape[0]):
        x = y = z = np.float32(0)
        for c in range(3):
            at = min(max(pixels[n, c], np.float32(0)), one) * steps
            i = np.int32(at)
            light = linear[i] + (at - np.float32(i)) * (linear[i + 1] - linear[i])
            x += weights[0, c] * light
            y += weights[1, c] * light
            z += weights[2, c] * light
        x = np.sqrt(min(x, one)) * steps
        y = np.sqrt(min(y, one)) * steps
        z = np.sqrt(min(z, one)) * steps
        i, j, k = np.int32(x), np.int32(y), np.int32(z)
        fx = root[i] + (x - np.float32(i)) * (root[i + 1] - root[i])
        fy = root[j] + (y - np.float32(j)) * (root[j + 1] - root[j])
        fz = root[k] + (z - np.float32(k)) * (root[k + 1] - root[k])
        out[n, 0] = np.float32(116) * fy - np.float32(16)
        out[n, 1] = np.float32(500) * (fx - fy)
        out[n, 2] = np.float32(200) * (fy - fz)


def delta_e2000(lab1: np.ndarray, lab2: np.ndarray) -> np.ndarray:
    """CIEDE2000 difference of two Lab arrays of shape (..., 3); returns shape (...)."""
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, np.float64), -1, 0)
    c_mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(c_mean7 / (c_mean7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(turn > 180, turn - 360, np.where(turn < -180, turn + 360, turn))
    d_h = np.where(grey, 0, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2)))
    total = h1 + h2
    h_mean = np.where(np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, total / 2 + 180, total / 2 - 180))
    h_mean = np.where(grey, total, h_mean)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    l_term, c_mean = ((l1 + l2) / 2 - 50) ** 2, (c1 + c2) / 2
    s_l = 1 + 0.015 * l_term / np.sqrt(20 + l_term)
    s_c = 1 + 0.045 * c_mean
    s_h = 1 + 0.015 * c_mean * t
    c7 = c_mean**7
    r_t = (
        -2
        * np.sqrt(c7 / (c7 + 25.0**7))
        * np.sin(np.radians(60 * np.exp(-(((h_mean - 275) / 25) ** 2))))
    )
    d_l, d_c, d_h = (l2 - l1) / s_l, (c2 - c1) / s_c, d_h / s_h
    return np.sqrt(np.maximum(d_l**2 + d_c**2 + d_h**2 + r_t * d_c * d_h, 0))
