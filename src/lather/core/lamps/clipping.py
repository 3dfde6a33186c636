"""Clipping: where a channel has no room left, above or below."""

from typing import ClassVar

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_FULL, _EMPTY = np.float32(254.5 / 255), np.float32(0.5 / 255)
_ABOVE, _BELOW = np.float32([0.86, 0.45, 0.05]), np.float32([0.10, 0.45, 0.62])


class ClippingLamp(Lamp):
    """Seen at 100 %; further away a clipped pixel is a mean with its neighbours."""

    id: ClassVar[str] = "clipping"
    label: ClassVar[str] = "Clipping"
    hint: ClassVar[str] = "The picture in dim grey; amber where a channel is full, blue where one is empty (at 100 %)"

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        pixels = around.below(rect, level)
        shown = np.repeat(pixels.mean(axis=2, keepdims=True) * np.float32(0.5) + np.float32(0.2), 3, axis=2)
        shown[(pixels <= _EMPTY).any(axis=2)] = _BELOW
        shown[(pixels >= _FULL).any(axis=2)] = _ABOVE
        return shown
