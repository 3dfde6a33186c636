"""Texture: pores and fine lines, without light and colour."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.bands import BandLamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect


class TextureLamp(BandLamp):
    """The texture band of Split around grey."""

    id: ClassVar[str] = "texture"
    label: ClassVar[str] = "Texture"
    hint: ClassVar[str] = "Pores and fine lines alone, around middle grey"
    strength: ClassVar[Number] = Number("strength", "Contrast", Range(1.0, 8.0), 2.0, "×", 0.5)  # pores are faint

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        gain = np.float32(self.strength_of(settings))
        return gain * self.parted(around, settings, rect, level)[1] + np.float32(0.5)
