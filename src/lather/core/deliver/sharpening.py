"""Sharpening of an output, for what scaling and paper take: by the factor and the medium, without halos."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.phrases import phrase
from lather.core.types import EncodedRGB

_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709
_BEYOND = 0.012  # of the range: how far a pixel may leave the range of its neighbours
_BASE = {"screen": (0.5, 0.45), "matte": (1.1, 0.55), "glossy": (0.9, 0.45)}
_BASE_PPI = 300.0
_PER_HALVING = 0.2


@dataclass(frozen=True)
class Sharpening:
    """radius_px: sigma of the blur that is taken off. amount: 0-1."""

    radius_px: float
    amount: float

    def text(self) -> str:
        """Radius and amount, as lists say them."""
        return phrase("%1 px · %2 %", f"{self.radius_px:.1f}", f"{100 * self.amount:.0f}")


def sharpening_for(medium: str, scale: float, ppi: float | None = None) -> Sharpening:
    """What a medium wants. scale: of the picture; each halving softens, and wants a fifth more. Ink spreads by a length
    on paper, so that the radius of a print goes with its ppi; what is enlarged is soft over more pixels.
    """
    radius, amount = _BASE[medium]
    if medium != "screen":
        radius *= (ppi or _BASE_PPI) / _BASE_PPI
    radius *= max(1.0, scale) ** 0.5
    halvings = float(np.clip(-np.log2(max(scale, 1e-3)), -1, 2))
    return Sharpening(round(max(0.4, radius), 2), round(amount * (1 + _PER_HALVING * halvings), 3))


def sharpened(encoded: EncodedRGB, how: Sharpening) -> EncodedRGB:
    """Unsharp mask on the luminance; no pixel leaves the range of its own neighbours by more than about 1 %."""
    luma = encoded @ _LUMA
    detail = luma - cv2.GaussianBlur(luma, (0, 0), how.radius_px, borderType=cv2.BORDER_REPLICATE)
    side = 2 * max(1, round(how.radius_px)) + 1
    around = np.ones((side, side), np.uint8)
    wanted = np.clip(luma + how.amount * detail, cv2.erode(luma, around) - _BEYOND, cv2.dilate(luma, around) + _BEYOND)
    return np.clip(encoded + (wanted - luma)[..., None], 0, 1).astype(np.float32)
