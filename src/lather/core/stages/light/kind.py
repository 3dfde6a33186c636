"""What layers that lay down light share."""

from abc import abstractmethod

import numpy as np

from lather.core.job.model import Layer
from lather.core.stages.base import Surroundings
from lather.core.stages.light.exposure import exposed
from lather.core.stages.maps.kind import MapKind
from lather.core.types import EncodedRGB, Mask, Rect


class LightKind(MapKind):
    """Gives each pixel an exposure. What it goes by of the face is part of the fingerprint."""

    levels_within = 3e-2  # a lift is held back near white, which is not linear

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        return exposed(pixels, self.stops(around, layer, coverage, rect, level))

    @abstractmethod
    def stops(self, around: Surroundings, layer: Layer, coverage: Mask, rect: Rect, level: int) -> np.ndarray:
        """Exposure (h, w) of a rectangle of a level in stops, from coverage with the layer's strength counted in."""
