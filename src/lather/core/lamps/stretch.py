"""Stretch: where skin was pulled apart or pressed together."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_WIDE, _TIGHT = np.float32((0.95, 0.62, 0.18)), np.float32((0.10, 0.55, 0.60))
_FROM = 0.01  # of area: what is less is not seen
_EVERY = 10  # lines of equal growth stand at each tenth of the scale
_LINE = 0.06


class StretchLamp(Lamp):
    """How much area each place has gained or lost by Shape."""

    id: ClassVar[str] = "stretch"
    label: ClassVar[str] = "Stretch"
    hint: ClassVar[str] = "Amber where skin is stretched, green-blue where it is pressed together; lines at equal steps"
    strength: ClassVar[Number] = Number("strength", "Full at", Range(2.0, 50.0), 20.0, "%", 1.0)

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        grey = around.below(rect, level) @ _LUMINANCE
        share = (around.warp.growth(rect, level) - 1) / np.float32(self.strength_of(settings) / 100)
        amount = np.clip(np.abs(share), 0, 1) * (np.abs(share) > _FROM)
        steps = np.abs(share) * _EVERY / 2
        line = (np.abs(steps - np.round(steps)) < _LINE) & (np.round(steps) > 0)
        amount = np.where(line, np.minimum(1, amount + 0.35), 0.7 * amount)[..., None].astype(np.float32)
        tint = np.where((share > 0)[..., None], _WIDE, _TIGHT)
        return (1 - amount) * grey[..., None] + amount * tint * (0.35 + 0.65 * grey[..., None])
