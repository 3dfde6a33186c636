"""Colour: how far the colour of each place is from the person's usual skin."""

from typing import ClassVar

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab_by_tables
from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_LIGHTNESS = np.float32(65.0)  # the same everywhere: light is not what is looked for
_MOST = np.float32(45.0)  # chroma that is shown at most: cloth and ground are far off, and are not to shout
_MIDDLE_GREY = (60.0, 0.0, 0.0)  # where no skin is known
_BLACK = np.float32(16.0)  # L* + 16 and a*, b* all go by the cube root of the light


class ColourLamp(Lamp):
    """Each place is brought to the light of the usual skin, so that a shadow of the same skin is grey as well. Sees
    sRGB; in a photo of another space the deviation is a little off, and its direction is right.
    """

    id: ClassVar[str] = "colour"
    label: ClassVar[str] = "Colour"
    hint: ClassVar[str] = "Colour against the usual skin of this face, light left out: grey is as usual, red is too red"
    strength: ClassVar[Number] = Number("strength", "Times", Range(1.0, 8.0), 3.0, "×", 0.5)

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        usual = np.float32(settings.get("skin_lab") or _MIDDLE_GREY)
        lab = srgb_to_lab_by_tables(around.below(rect, level))
        alike = (usual[0] + _BLACK) / (np.maximum(lab[..., :1], 0) + _BLACK)
        off = np.float32(self.strength_of(settings)) * (lab[..., 1:] * alike - usual[1:])
        lab[..., 1:] = off * (_MOST / (_MOST + np.linalg.norm(off, axis=-1, keepdims=True)))
        lab[..., 0] = _LIGHTNESS
        return np.clip(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB), 0, 1)
