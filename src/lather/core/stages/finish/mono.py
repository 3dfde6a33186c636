"""Black and white as a mix of red, green and blue light."""

import numpy as np

from lather.core import ranges
from lather.core.colour import srgb
from lather.core.job.model import Layer
from lather.core.parameters import Number
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

_MIX = ranges.Range(0.0, 2.0)
AMOUNT = Number("amount", "Without colour", ranges.SHARE, 1.0, "%", shown_times=100)
RED = Number("red", "Red", _MIX, 0.45, "%", shown_times=100)
GREEN = Number("green", "Green", _MIX, 0.45, "%", shown_times=100)
BLUE = Number("blue", "Blue", _MIX, 0.10, "%", shown_times=100)


class MonoKind(AdjustmentKind):
    """Black and white, mixed from the channels."""

    id = "mono"
    method = b"mono-1"
    label, icon = "Black and white", "mono"
    hint = "More red makes skin light and even, more blue shows every mark. The three are held to 100 % in all."
    own = (AMOUNT, RED, GREEN, BLUE)
    mask = everywhere()

    def neutral(self, layer: Layer) -> bool:
        return float(self.value(layer, AMOUNT.id)) == 0

    @classmethod
    def said(cls, layer: Layer) -> str:
        return " · ".join(f"{name[0].upper()} {100 * layer.settings.get(name, start):.0f}" for name, start in (
            ("red", RED.start), ("green", GREEN.start), ("blue", BLUE.start)))

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        mix = np.array([float(self.value(layer, one.id)) for one in (RED, GREEN, BLUE)], np.float32)
        mix = mix / max(float(mix.sum()), 1e-6) if mix.sum() > 0 else np.full(3, 1 / 3, np.float32)
        grey = srgb.decode(np.clip(pixels, 0, 1)) @ mix
        light = np.where(grey > 216 / 24389, 116 * np.cbrt(grey) - 16, 24389 / 27 * grey)
        amount = np.float32(self.value(layer, AMOUNT.id))
        change = np.empty_like(lab)
        change[..., 0] = amount * (light - lab[..., 0])
        change[..., 1:] = -amount * lab[..., 1:]
        return changed(pixels, lab, change, coverage)
