"""Grey: one mix of the channels, in which unevenness of skin is plain."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect


def mix_weights(mix: float) -> np.ndarray:
    """Weights (3,) of red, green and blue: red alone at 0, green at 0.5, blue at 1."""
    return np.float32([max(0.0, 1 - 2 * mix), 1 - abs(2 * mix - 1), max(0.0, 2 * mix - 1)])


class GreyLamp(Lamp):
    """From red alone (0) over green (0.5) to blue alone (1): the shorter the waves, the less deep they go into skin and
    the more pigment and blood darken them.
    """

    id: ClassVar[str] = "grey"
    label: ClassVar[str] = "Grey"
    hint: ClassVar[str] = "Without colour. Towards blue, blotches and veins grow plain; towards red, skin looks even"
    strength: ClassVar[Number] = Number("strength", "Red to blue", Range(0.0, 1.0), 0.6, "%", 1.0, shown_times=100.0)

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        grey = around.below(rect, level) @ mix_weights(self.strength_of(settings))
        return np.repeat(grey[..., None], 3, axis=2)
