"""Tints by tone range: a hue and a chroma for shadows, middle and lights."""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import MASK_TOOLS, AdjustmentKind
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

_HUE, _CHROMA = ranges.Range(0.0, 360.0, "°"), ranges.Range(0.0, 20.0, "C*")
RANGES = {"shadows": ("Shadows", 222.0), "middle": ("Middle", 60.0), "lights": ("Lights", 78.0)}
NUMBERS = tuple(one for name, (label, hue) in RANGES.items() for one in (
    Number(f"{name}_hue", phrase("%1, hue", label), _HUE, hue, "°"),
    Number(f"{name}_chroma", label, _CHROMA, 0.0, "C*", step=0.5),
))
LOW = Number("meet_low", "Shadows up to", ranges.Range(5.0, 60.0, "L*"), 35.0, "L*")
HIGH = Number("meet_high", "Lights from", ranges.Range(40.0, 95.0, "L*"), 65.0, "L*")
_SOFT = 30.0  # L* over which two ranges pass into each other


class TintsKind(AdjustmentKind):
    """A tint each for shadows, middle and lights."""

    id = "tints"
    method = b"tints-1"
    label, icon = "Tints by tone", "tints"
    hint = "Pick takes a hue from the photo for the range it lies in. Pure black and white stay as they are."
    tools = ("pick", *MASK_TOOLS)
    own = (*NUMBERS, LOW, HIGH)
    mask = everywhere()

    def neutral(self, layer: Layer) -> bool:
        return all(float(self.value(layer, f"{name}_chroma")) == 0 for name in RANGES)

    @classmethod
    def said(cls, layer: Layer) -> str:
        used = sum(float(layer.settings.get(f"{name}_chroma", 0)) > 0 for name in RANGES)
        return phrase("%1 of %2 ranges", used, len(RANGES)) if used else "neutral"

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        shares = tone_ranges(lab[..., 0], float(self.value(layer, LOW.id)), float(self.value(layer, HIGH.id)))
        ends = np.clip(lab[..., 0] / 8, 0, 1) * np.clip((100 - lab[..., 0]) / 6, 0, 1)
        change = np.zeros_like(lab)
        for name, share in zip(RANGES, shares):
            hue = np.radians(float(self.value(layer, f"{name}_hue")))
            amount = np.float32(self.value(layer, f"{name}_chroma")) * share * ends
            change[..., 1] += np.float32(np.cos(hue)) * amount
            change[..., 2] += np.float32(np.sin(hue)) * amount
        return changed(pixels, lab, change, coverage)


def tone_ranges(light: np.ndarray, low: float, high: float) -> tuple[Mask, Mask, Mask]:
    """Shares of shadows, middle and lights at an L*; they add up to 1."""
    high = max(high, low + 1)
    shadows = 1 - _step((light - low) / _SOFT + 0.5)
    lights = _step((light - high) / _SOFT + 0.5)
    both = np.maximum(shadows + lights, 1)
    return shadows / both, 1 - np.minimum(shadows + lights, 1), lights / both


def _step(share: np.ndarray) -> np.ndarray:
    share = np.clip(share, 0, 1)
    return share * share * (3 - 2 * share)
