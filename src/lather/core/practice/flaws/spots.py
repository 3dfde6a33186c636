"""Spots on skin: blemishes dark, red and bright; moles and freckles, which are keepers."""

import cv2
import numpy as np

from lather.core.practice.flaws.base import BLOOD, MELANIN, PALE, Flaw, blob, relief, to_contrast
from lather.core.types import LinearRGB, Rect

# pigment, softness of the rim, diameter in mm, contrast in ΔE00, bump height in diameters, keeper
SPOTS = {
    "blemish_dark": (MELANIN, 0.7, (1.0, 3.2), (4.5, 10.0), 0.05, False),
    "blemish_red": (BLOOD, 1.1, (1.2, 4.0), (4.5, 9.0), 0.22, False),
    "blemish_bright": (PALE, 0.8, (0.9, 2.6), (4.5, 8.0), 0.12, False),
    "mole": (MELANIN, 0.35, (2.2, 4.5), (14.0, 24.0), 0.10, True),
    "freckle": (MELANIN, 0.8, (0.8, 1.7), (3.0, 5.5), 0.0, True),
}


def spot_size_px(kind: str, rng: np.random.Generator, pixels_per_mm: float) -> float:
    low, high = SPOTS[kind][2]
    return float(max(4.0, rng.uniform(low, high) * pixels_per_mm))


def draw_spot(linear: LinearRGB, kind: str, x: float, y: float, size_px: float, *, light: tuple[float, float],
              rng: np.random.Generator) -> Flaw:
    """Draw one spot into `linear` (changed in place) and describe it."""
    pigment, softness, _, (low, high), bump, keeper = SPOTS[kind]
    margin = int(size_px * 1.3) + 6
    rect = Rect(int(x) - margin, int(y) - margin, int(x) + margin, int(y) + margin).intersect(
        Rect(0, 0, linear.shape[1], linear.shape[0])
    )
    mask, outline = blob(rng, rect, x, y, size_px / 2, softness=softness)
    speckle = cv2.GaussianBlur(rng.standard_normal(mask.shape).astype(np.float32), (0, 0), max(0.8, size_px / 8))
    mask_in = mask * (1 + 0.12 * speckle / max(float(speckle.std()), 1e-6))
    window = rect.slices(Rect(0, 0, linear.shape[1], linear.shape[0]))
    before = linear[window].copy()
    shade = relief(mask, light, bump * size_px) if bump else np.ones_like(mask)
    # light scatters further in red: the rim of a spot is redder and wider than its core
    spread = np.stack([cv2.GaussianBlur(mask_in, (0, 0), max(0.3, s * size_px)) for s in (0.07, 0.035, 0.025)], -1)

    def draw(strength: float) -> LinearRGB:
        return before * np.exp(-strength * pigment * spread) * (1 + (shade[..., None] - 1) * min(1, strength * 4))

    after, contrast_de = to_contrast(draw, before, mask, rng.uniform(low, high))
    linear[window] = after
    return Flaw(kind, x, y, size_px, contrast_de, keeper, outline)
