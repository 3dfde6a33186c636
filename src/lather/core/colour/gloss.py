"""Gloss: light that the surface throws back as it is. It hides the skin's own colour, so no tone is taken from it."""

import numpy as np

from lather.core.types import EncodedRGB

_CLIPPED = 0.93  # encoded: no channel of bare skin is that bright unless the light burns
_COLOURLESS = 0.5  # of the skin's own saturation


def saturation(pixels: EncodedRGB) -> np.ndarray:
    """1 − least / largest channel, (h, w): of skin the same in light and shade, near 0 where it is gloss."""
    return 1 - pixels.min(-1) / np.maximum(pixels.max(-1), np.float32(1e-3))


def gloss_mask(pixels: EncodedRGB, usual_saturation: float, usual_light: float) -> np.ndarray:
    """True (h, w) where pixels are near-clipped, or brighter than the skin and far less coloured (dichromatic
    reflection, Shafer 1985).

    usual_saturation, usual_light: of bare skin (the largest channel).
    """
    light = pixels.max(-1)
    washed_out = (saturation(pixels) < _COLOURLESS * usual_saturation) & (light > usual_light)
    return (pixels.min(-1) > _CLIPPED) | washed_out


def usual_skin(pixels: EncodedRGB) -> tuple[float, float]:
    """(saturation, light) of the darker half of some pixels (n, 3) or (h, w, 3): what no gloss lies on."""
    flat = pixels.reshape(-1, 3)
    light = flat.max(-1)
    matt = flat[light <= np.median(light)]
    return float(np.median(saturation(matt))), float(np.median(light))
