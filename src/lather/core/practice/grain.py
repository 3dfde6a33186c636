"""Camera grain: noise whose level follows luminance, with a size and a share of colour."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.types import EncodedRGB

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class Grain:
    """level_percent: noise sigma in % of the encoded range, at mid luminance; it falls to half towards black
    and white. size_px: Gaussian radius of a grain. chroma_share: colour noise against luminance noise, 0-1."""

    level_percent: float = 0.6
    size_px: float = 0.6
    chroma_share: float = 0.3


def _noise(rng: np.random.Generator, shape: tuple, size_px: float) -> np.ndarray:
    noise = rng.standard_normal(shape, np.float32)
    if size_px > 0.2:
        noise = cv2.GaussianBlur(noise, (0, 0), size_px)
    return noise / noise.std()


def grain_field(encoded: EncodedRGB, grain: Grain, rng: np.random.Generator) -> np.ndarray:
    """The noise to add to an encoded picture, float32 (h, w, 3)."""
    luminance = np.clip(encoded @ _LUMINANCE, 0, 1)
    level = grain.level_percent / 100 * (0.5 + 2 * luminance * (1 - luminance))
    common = _noise(rng, luminance.shape, grain.size_px)
    field = np.repeat(common[..., None], 3, -1)
    if grain.chroma_share > 0:
        for channel in range(3):
            field[..., channel] += grain.chroma_share * _noise(rng, luminance.shape, grain.size_px)
        field /= np.sqrt(1 + grain.chroma_share**2)
    return field * level[..., None]
