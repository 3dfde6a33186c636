"""Tone: light and colour, without texture."""

from typing import ClassVar

from lather.core.lamps.bands import BandLamp
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect


class ToneLamp(BandLamp):
    """The tone band of Split."""

    id: ClassVar[str] = "tone"
    label: ClassVar[str] = "Tone"
    hint: ClassVar[str] = "Light and colour alone, without texture"

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        return self.parted(around, settings, rect, level)[0]
