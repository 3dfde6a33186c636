"""What the mask of an adjustment is before anything was painted: nothing, everything, or zones of the person."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import EVERYWHERE, Flag, Model, Number
from lather.core.stages.adjust.zones import read_zones
from lather.core.stages.base import Surroundings
from lather.core.stages.maps.store import NOTHING, Constant, Start
from lather.core.types import Mask, Rect

FEATHER = Number("mask_feather_px", "Feather", ranges.FEATHER_PX, 0.0, "px")
MASK_PARAMETERS = (EVERYWHERE, Model("zones", "Zones", read_zones), FEATHER, Flag("turned", "Turned round"))
ALL_OVER = Constant(1.0)


@dataclass(frozen=True)
class ZoneStart:
    """The share of some zones, blurred by a feather: they follow the face's points, and edges at the pixels."""

    around: Surroundings
    zones: tuple[str, ...]
    feather_px: float
    empty = False

    @property
    def key(self) -> object:
        """What the mask depends on."""
        return (self.zones, self.feather_px, tuple(face.digest for face in self.around.faces), self.around.zones.digest)

    def read(self, rect: Rect, level: int) -> Mask:
        """Share 0-1 of the zones in a rectangle of a level."""
        sigma = 0.5 * self.feather_px / (1 << level)
        bounds = self.around.bounds.at_level(level)
        wide = rect.expand(int(np.ceil(3 * sigma))).intersect(bounds) if sigma > 0.2 else rect
        out = np.zeros((wide.height, wide.width), np.float32)
        for zone in self.zones:
            np.maximum(out, self.around.zones.mask(zone, self.around.faces, wide, level), out=out)
        if sigma > 0.2:
            out = cv2.GaussianBlur(out, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)[rect.slices(wide)].copy()
        return out


def start_of(around: Surroundings, layer: Layer) -> Start:
    """Of a layer's mask; where nobody knows the zones they are empty."""
    settings = layer.settings
    if settings.get(EVERYWHERE.id):
        return ALL_OVER
    zones = tuple(settings.get("zones") or ())
    if zones and around.zones is not None:
        return ZoneStart(around, zones, float(settings.get(FEATHER.id, 0.0)))
    return NOTHING


def by_zones(*zones: str, feather_px: float = 0.0) -> dict:
    """Settings of a mask that is these zones."""
    return {EVERYWHERE.id: False, "zones": list(zones), FEATHER.id: feather_px}


def painted() -> dict:
    """Settings of a mask that is only what is painted."""
    return {EVERYWHERE.id: False, "zones": []}


def everywhere() -> dict:
    """Settings of a mask that is 1 everywhere."""
    return {EVERYWHERE.id: True, "zones": []}
