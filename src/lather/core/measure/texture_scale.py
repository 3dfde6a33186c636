"""Texture scale: at which width the pores of this skin have left the tone, from its radial spectrum."""

from dataclasses import dataclass

import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.measure.bands import PORE_BAND_SHARES
from lather.core.types import Mask, as_float32

_PATCH = 96
_MOST_PATCHES = 60
_LEFT_OF_PORES = 0.05  # share of the pore band's variance that the tone may keep


@dataclass(frozen=True)
class TextureScale:
    """split_px: Gaussian sigma that parts texture from tone. spectrum: ((cycles per px, power of L*), …)."""

    split_px: float
    spectrum: tuple[tuple[float, float], ...]


def measure_texture_scale(photo: Photo, skin: Mask, skin_scale: float, face_width_px: float) -> TextureScale | None:
    """From square patches inside skin (evenest half). None where there is too little skin.

    skin: coverage 0-1 at a reduced size; skin_scale: source pixels per pixel of it.
    """
    patches = _patches(photo, skin, skin_scale)
    if len(patches) < 4:
        return None
    power = np.abs(np.fft.rfft2(patches)) ** 2
    fy = np.fft.fftfreq(_PATCH)[:, None]
    fx = np.fft.rfftfreq(_PATCH)[None, :]
    radius = np.hypot(fy, fx)
    spread = power.mean((1, 2))
    usual = power[np.argsort(spread)[: max(4, len(spread) // 2)]].mean(0) / _PATCH**2
    edges = np.linspace(0.5 / _PATCH, 0.5, 41)
    which = np.digitize(radius.ravel(), edges)
    sums = np.bincount(which, usual.ravel(), 42)[1:41] / np.maximum(np.bincount(which, minlength=42)[1:41], 1)
    middles = (edges[1:] + edges[:-1]) / 2
    return TextureScale(split_width(usual, radius, face_width_px), tuple(zip(middles.tolist(), sums.tolist())))


def split_width(power: np.ndarray, radius: np.ndarray, face_width_px: float) -> float:
    """Smallest Gaussian sigma (px) whose low-pass keeps at most 5 % of the pore band's variance."""

    def low(sigma):
        return np.exp(-2 * (np.pi * sigma * radius) ** 2)

    fine, coarse = (max(0.5, share * face_width_px) for share in PORE_BAND_SHARES)
    pores = power * (low(fine) - low(max(coarse, 1.5 * fine))) ** 2
    whole = pores.sum()
    sigmas = np.geomspace(0.5, 40, 240)
    kept = np.array([(pores * low(s) ** 2).sum() for s in sigmas]) / max(whole, 1e-12)
    return float(sigmas[int(np.argmax(kept <= _LEFT_OF_PORES))])


def _patches(photo: Photo, skin: Mask, scale: float) -> np.ndarray:
    """L* of patches that lie wholly in skin, mean taken out, under a Hann window; float32 (n, 96, 96)."""
    side = _PATCH / scale
    rows, columns = np.arange(0, skin.shape[0] - side, side), np.arange(0, skin.shape[1] - side, side)
    whole = [(y, x) for y in rows for x in columns
             if skin[int(y) : int(np.ceil(y + side)), int(x) : int(np.ceil(x + side))].min() > 0.9]
    if len(whole) > _MOST_PATCHES:
        whole = [whole[i] for i in np.linspace(0, len(whole) - 1, _MOST_PATCHES).astype(int)]
    window = np.hanning(_PATCH)[:, None] * np.hanning(_PATCH)[None, :]
    out = []
    for y, x in whole:
        y0, x0 = int(y * scale), int(x * scale)
        part = as_float32(photo.codes(0)[y0 : y0 + _PATCH, x0 : x0 + _PATCH])
        if part.shape[:2] == (_PATCH, _PATCH):
            lightness = profiles.to_lab(part, photo.profile)[..., 0]
            out.append((lightness - lightness.mean()) * window)
    return np.array(out, np.float32).reshape(-1, _PATCH, _PATCH)
