"""Linear light of any RGB profile: the curve that its greys follow."""

import functools

import numpy as np

from lather.core.colour import profiles, srgb
from lather.core.types import EncodedRGB, LinearRGB

_STEPS = 1025
_KAPPA, _EPSILON = 24389 / 27, 216 / 24389  # CIE 15:2004


@functools.lru_cache(maxsize=16)
def _curve(profile: bytes) -> np.ndarray:
    """Light 0-1 of _STEPS even codes of grey, rising everywhere."""
    codes = np.repeat(np.linspace(0, 1, _STEPS, dtype=np.float32)[None, :, None], 3, -1)
    lightness = profiles.to_lab(codes, profile)[0, :, 0].astype(np.float64)
    root = (lightness + 16) / 116
    light = np.where(root**3 > _EPSILON, root**3, lightness / _KAPPA)
    light = np.maximum.accumulate((light - light[0]) / max(1e-6, light[-1] - light[0]))
    return light + np.linspace(0, 1e-6, _STEPS)


def decode(encoded: EncodedRGB, profile: bytes | None) -> LinearRGB:
    """Encoded values 0-1 of a profile, of any shape, to linear light. sRGB by its own formula (IEC 61966-2-1)."""
    if profiles.is_srgb(profile):
        return srgb.decode(encoded)
    return np.interp(encoded, np.linspace(0, 1, _STEPS), _curve(profile)).astype(np.float32)


def encode(linear: LinearRGB, profile: bytes | None) -> EncodedRGB:
    """The inverse of `decode`."""
    if profiles.is_srgb(profile):
        return srgb.encode(linear)
    return np.interp(linear, _curve(profile), np.linspace(0, 1, _STEPS)).astype(np.float32)
