"""Red eye: a pupil that flash made red is dark again; the catchlight in it and whatever is not red stay."""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

RED_OUT = Number("red_out", "Red out", ranges.SHARE, 1.0, "%", shown_times=100)
DARK = Number("dark", "Pupil darker", ranges.SHARE, 0.6, "%", shown_times=100)
_DARKEST = np.float32(0.012)  # nothing that was not black becomes so
RED_FROM, RED_SURE = 0.3, 0.46
"""Share of red light over the larger of green and blue, of a pixel's own red, from where it is red, and wholly."""


def redness(pixels: EncodedRGB) -> Mask:
    """How far pixels (h, w, 3) are red of a flash: 0-1."""
    red = pixels[..., 0]
    excess = (red - np.maximum(pixels[..., 1], pixels[..., 2])) / np.maximum(red, np.float32(0.04))
    share = np.clip((excess - RED_FROM) / (RED_SURE - RED_FROM), 0, 1)
    return share * share * (3 - 2 * share)


class RedEyeKind(AdjustmentKind):
    """Works on what is red under its mask; what takes no colour from a flash is left."""

    id = "red_eye"
    method = b"red_eye-1"
    label, icon = "Red eye", "red_eye"
    hint = "Paint over a pupil that flash made red; the catchlight stays."
    own = (RED_OUT, DARK)

    def neutral(self, layer: Layer) -> bool:
        return float(self.value(layer, RED_OUT.id)) == 0

    @classmethod
    def said(cls, layer: Layer) -> str:
        return phrase("red out %1 %", f"{100 * layer.settings.get(RED_OUT.id, RED_OUT.start):.0f}")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        amount = coverage * redness(pixels) * np.float32(self.value(layer, RED_OUT.id))
        low = np.minimum(pixels[..., 1], pixels[..., 2])
        grey = np.maximum(low * np.float32(1 - float(self.value(layer, DARK.id))), np.minimum(low, _DARKEST))
        return pixels + amount[..., None] * (grey[..., None] - pixels)
