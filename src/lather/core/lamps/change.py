"""Change: what the retouch has done to the photo."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect


class ChangeLamp(Lamp):
    """The difference to the photo, times its strength, around grey."""

    id: ClassVar[str] = "change"
    label: ClassVar[str] = "Change"
    hint: ClassVar[str] = "What was changed since the photo, around middle grey: lighter is lighter, grey is untouched"
    strength: ClassVar[Number] = Number("strength", "Times", Range(1.0, 16.0), 4.0, "×", 1.0)

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        gain = np.float32(self.strength_of(settings))
        return gain * (around.below(rect, level) - around.photo(rect, level)) + np.float32(0.5)
