"""Down: fine hair alone, without the skin it lies on."""

from typing import ClassVar

import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.stages.strands.fine_hair import REACH_PX, STEP_PX, fine_hair, whole_steps
from lather.core.types import EncodedRGB, Rect

_OF_L = 0.05  # encoded value for one L*


class DownLamp(Lamp):
    """What fine hairs add to the light, around grey: dark ones dark, pale ones pale."""

    id: ClassVar[str] = "down"
    label: ClassVar[str] = "Down"
    hint: ClassVar[str] = "Fine hair alone, parted from pores and furrows; Strands says how much of the texture it is"
    strength: ClassVar[Number] = Number("strength", "Contrast", Range(1.0, 8.0), 2.0, "×", 0.5)

    def reach(self, settings: dict) -> int:
        return REACH_PX + STEP_PX

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        wide = whole_steps(rect.expand(REACH_PX)).intersect(around.bounds.at_level(level))
        hair = fine_hair(srgb_to_lab(around.below(wide, level)))[rect.slices(wide)][..., 0]
        grey = np.clip(np.float32(0.5) + np.float32(self.strength_of(settings) * _OF_L) * hair, 0, 1)
        return np.repeat(grey[..., None], 3, axis=2)
