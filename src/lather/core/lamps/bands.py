"""What lamps of one band share: the picture parted as Split parts it."""

import numpy as np

from lather.core.lamps.base import Lamp
from lather.core.stages.base import Surroundings
from lather.core.stages.split.bands import BandSettings, low_pass, low_pass_halo
from lather.core.types import EncodedRGB, Rect


class BandLamp(Lamp):
    """settings: those of a Split layer."""

    def reach(self, settings: dict) -> int:
        """The halo of the low-pass, px."""
        bands = BandSettings.of(settings)
        return low_pass_halo(bands.width_px, bands.edge_keeping)

    def parted(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> tuple[EncodedRGB, EncodedRGB]:
        """(tone, texture)."""
        bands = BandSettings.of(settings)
        width_px = max(0.3, bands.width_px / (1 << level))
        halo = low_pass_halo(bands.width_px / (1 << level), bands.edge_keeping)
        wide = rect.expand(halo).intersect(around.bounds.at_level(level))
        pixels = around.below(wide, level)
        tone = low_pass(pixels, width_px, bands.edge_keeping, wide[:2])
        own = rect.slices(wide)
        return np.ascontiguousarray(tone[own]), pixels[own] - tone[own]
