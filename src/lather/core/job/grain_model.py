"""Grain as values: level by luminance, size, share of colour."""

from dataclasses import dataclass

import numpy as np

from lather.core import ranges


def correlation(size_px: float, d: int) -> float:
    """Correlation of grain between pixels `d` apart in a row: white noise under a sampled Gaussian of `size_px`."""
    if size_px < 0.15:
        return 0.0
    half = int(np.ceil(4 * size_px)) + d
    kernel = np.exp(-np.arange(-half, half + 1) ** 2 / (2 * size_px * size_px))
    return float((kernel[d:] * kernel[:-d]).sum() / (kernel**2).sum())


def diagonal_gain(size_px: float, d: int) -> float:
    """Energy of diagonal differences (a − b − c + d)/2 over `d` px of grain whose sigma is 1."""
    return (1 - correlation(size_px, d)) ** 2


@dataclass(frozen=True)
class GrainModel:
    """level_percent: ((luminance 0-1, sigma in % of the encoded range), …). size_px: Gaussian radius of a grain.

    chroma_share: colour noise against luminance noise, 0-1.
    """

    level_percent: tuple[tuple[float, float], ...]
    size_px: float
    chroma_share: float

    def sigma(self, luminance: np.ndarray) -> np.ndarray:
        """Noise sigma (share of the encoded range) at a luminance, interpolated."""
        xs, ys = zip(*self.level_percent) if self.level_percent else ((0.5,), (0.0,))
        return np.interp(luminance, xs, ys) / 100

    def to_json(self) -> dict:
        """As `lather info --json` prints it."""
        return {
            "level_percent": [[round(x, 3), round(y, 4)] for x, y in self.level_percent],
            "size_px": round(self.size_px, 3),
            "chroma_share": round(self.chroma_share, 3),
        }

    @classmethod
    def from_json(cls, data: dict) -> "GrainModel":
        """Raises RequestError, TypeError or ValueError for what cannot be grain."""
        levels = tuple((float(x), float(y)) for x, y in data.get("level_percent", ()))
        model = cls(levels, float(data.get("size_px", 0.6)), float(data.get("chroma_share", 0.0)))
        ranges.GRAIN_SIZE_PX.check(model.size_px, "A grain size")
        ranges.SHARE.check(model.chroma_share, "A share of colour in the grain")
        for luminance, sigma in levels:
            ranges.SHARE.check(luminance, "A luminance")
            ranges.GRAIN_LEVEL_PERCENT.check(sigma, "A grain level")
        return model
