"""CIE L*a*b* under D50 (CIE 15:2018) and CIEDE2000 (Sharma, Wu and Dalal 2005)."""

import math

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
    """XYZ (Y of white = 1, D50) to Lab, shape (..., 3), float32."""
    return _to_lab(xyz, np.diag(1 / WHITE_D50))


def srgb_to_lab(encoded: np.ndarray) -> np.ndarray:
    """Encoded sRGB 0-1, shape (..., 3), to Lab, float32."""
    return _to_lab(srgb.decode(encoded), RGB_TO_XYZ_D50 / WHITE_D50[:, None])


def _to_lab(light: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """weights: (3, 3), from what `light` (..., 3) is given in to the ratios of X, Y, Z to the white."""
    light = np.asarray(light, np.float32, order="C")
    out = np.empty_like(light)
    few = light.size <= _FEW and not _lab.ready  # the colour under the pen waits for nothing
    (_lab.plain if few else _lab)(light.reshape(-1, 3), weights.astype(np.float64), _CUBE_ROOT, _CORRECTION,
                                  out.reshape(-1, 3))
    return out


_STEPS = 4096
_ROOTS = np.arange(_STEPS + 2, dtype=np.float64) / _STEPS
_LIGHTNESS_OF_ROOT = np.where(_ROOTS**2 > 216 / 24389, 116 * _ROOTS ** (2 / 3) - 16, 24389 / 27 * _ROOTS**2)
_LIGHTNESS_OF_ROOT = _LIGHTNESS_OF_ROOT.astype(np.float32)  # L* by the square root of the luminance: even steps suffice


_PARTS = 8192  # of the cube root's table, even steps of the number itself
_CUBE_ROOT = np.cbrt(np.arange(_PARTS + 2) / _PARTS)
_CORRECTION = 1 / (3 * np.maximum(_CUBE_ROOT, 0.1) ** 2)
_DARK, _DARK_SLOPE = 216 / 24389, 24389 / 27 / 116  # up to it the lightness is a straight line
_FEW = 12  # values


@loop("const(f4[:, ::1]), const(f8[:, ::1]), const(f8[::1]), const(f8[::1]), f4[:, ::1]")
def _lab(light, weights, cube_root, correction, out):  # pragma: no cover - compiled
    """The cube root by a table and one step of Newton's, without a division: within 1e-8."""
    for n in range(light.shape[0]):
        fx = fy = fz = 0.0
        for c in range(3):
            t = weights[c, 0] * light[n, 0] + weights[c, 1] * light[n, 1] + weights[c, 2] * light[n, 2]
            if t <= _DARK:
                f = _DARK_SLOPE * t + 16 / 116
            elif t < 1:
                at = t * _PARTS
                i = int(at)
                f = cube_root[i] + (at - i) * (cube_root[i + 1] - cube_root[i])
                f -= (f * f * f - t) * correction[i]
            else:
                f = t ** (1 / 3)
            if c == 0:
                fx = f
            elif c == 1:
                fy = f
            else:
                fz = f
        out[n, 0] = 116 * fy - 16
        out[n, 1] = 500 * (fx - fy)
        out[n, 2] = 200 * (fy - fz)


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
    """CIEDE2000 difference of two Lab arrays of shape (..., 3); returns shape (...), float64."""
    pair = [np.asarray(lab, np.float64) for lab in (lab1, lab2)]
    shape = np.broadcast_shapes(*(lab.shape for lab in pair))
    first, second = (np.ascontiguousarray(np.broadcast_to(lab, shape)).reshape(-1, 3) for lab in pair)
    out = np.empty(shape[:-1])
    _delta_e2000(first, second, out.reshape(-1))
    return out


_HUES = tuple(math.radians(degrees) for degrees in (30, 6, 63))


@loop("const(f8[:, ::1]), const(f8[:, ::1]), f8[::1]")
def _delta_e2000(first, second, out):  # pragma: no cover - compiled
    """As Sharma, Wu and Dalal; the mean hue by its direction, its multiples by those of its cosine and sine."""
    far7 = 25.0**7
    cos30, sin30, cos6, sin6 = math.cos(_HUES[0]), math.sin(_HUES[0]), math.cos(_HUES[1]), math.sin(_HUES[1])
    cos63, sin63 = math.cos(_HUES[2]), math.sin(_HUES[2])
    for n in range(out.size):
        l1, a1, b1 = first[n, 0], first[n, 1], first[n, 2]
        l2, a2, b2 = second[n, 0], second[n, 1], second[n, 2]
        if l1 == l2 and a1 == a2 and b1 == b2:
            out[n] = 0.0
            continue
        c = (math.sqrt(a1 * a1 + b1 * b1) + math.sqrt(a2 * a2 + b2 * b2)) / 2
        c7 = c * c * c * c * c * c * c
        g = 1.5 - 0.5 * math.sqrt(c7 / (c7 + far7))
        a1, a2 = a1 * g, a2 * g
        c1, c2 = math.sqrt(a1 * a1 + b1 * b1), math.sqrt(a2 * a2 + b2 * b2)
        c, light = (c1 + c2) / 2, (l1 + l2) / 2 - 50
        light *= light
        d_h = 0.0
        if c1 * c2 == 0:  # one is grey: the hue is the other's
            x, y = a1 + a2, b1 + b2
        else:
            x, y = a1 / c1 + a2 / c2, b1 / c1 + b2 / c2
            cross = a1 * b2 - b1 * a2
            d_h = math.copysign(math.sqrt(max(2 * (c1 * c2 - a1 * a2 - b1 * b2), 0.0)), cross)
            if x * x + y * y < 1e-18:  # opposite hues: their mean is a quarter on from the smaller
                h1, h2 = math.atan2(b1, a1) % (2 * math.pi), math.atan2(b2, a2) % (2 * math.pi)
                x, y = math.cos((h1 + h2) / 2), math.sin((h1 + h2) / 2)
        far = math.sqrt(x * x + y * y)
        cosine, sine = (x / far, y / far) if far > 0 else (1.0, 0.0)
        cos2, sin2 = cosine * cosine - sine * sine, 2 * sine * cosine
        cos3, sin3 = cos2 * cosine - sin2 * sine, sin2 * cosine + cos2 * sine
        cos4, sin4 = cos2 * cos2 - sin2 * sin2, 2 * sin2 * cos2
        t = (1 - 0.17 * (cosine * cos30 + sine * sin30) + 0.24 * cos2 + 0.32 * (cos3 * cos6 - sin3 * sin6)
             - 0.20 * (cos4 * cos63 + sin4 * sin63))
        c7 = c * c * c * c * c * c * c
        hue = math.degrees(math.atan2(sine, cosine)) % 360
        blue = (hue - 275) / 25
        turn = -2 * math.sqrt(c7 / (c7 + far7)) * math.sin(math.radians(60 * math.exp(-blue * blue)))
        d_l = (l2 - l1) / (1 + 0.015 * light / math.sqrt(20 + light))
        d_c = (c2 - c1) / (1 + 0.045 * c)
        d_h /= 1 + 0.015 * c * t
        out[n] = math.sqrt(max(d_l * d_l + d_c * d_c + d_h * d_h + turn * d_c * d_h, 0.0))
