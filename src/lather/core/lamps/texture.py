"""Texture: pores and fine lines, without light and colour."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.bands import BandLamp
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_GAIN = np.float32(2.0)  # pores are faint: seen at twice their contrast


class TextureLamp(BandLamp):
    id: ClassVar[str] = "texture"
    label: ClassVar[str] = "Texture"
    hint: ClassVar[str] = "Pores and fine lines alone, around middle grey, at twice their contrast"

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        return _GAIN * self.parted(around, settings, rect, level)[1] + np.float32(0.5)
