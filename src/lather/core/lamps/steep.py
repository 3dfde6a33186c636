"""Steep: a curve so steep that it comes down again; what was mended carelessly stands out as a break in its rings."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_LIGHT = np.float32([0.2126, 0.7152, 0.0722])  # of the channels as they are encoded: this is to look at, not to measure


class SteepLamp(Lamp):
    """Brightness through a curve that goes up and down again several times."""

    id: ClassVar[str] = "steep"
    label: ClassVar[str] = "Steep"
    hint: ClassVar[str] = "Light as rings of equal height: a mend whose tone is off breaks them"
    strength: ClassVar[Number] = Number("strength", "Rings", Range(1.0, 8.0), 3.0, "", 0.5)

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        light = around.below(rect, level) @ _LIGHT
        wave = np.float32(0.5) - np.float32(0.5) * np.cos(np.float32(2 * np.pi * self.strength_of(settings)) * light)
        return np.repeat(wave[..., None], 3, axis=2)
