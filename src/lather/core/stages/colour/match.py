"""Match: the colour of one skin area carried over to another, mean and spread in Lab on the tone band.

Reinhard et al. 2001 ("Color transfer between images"), in Lab, of areas of one picture, pores left as they are.
"""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Flag, Model, Number
from lather.core.stages.adjust.bands import tone, tone_reach
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.pixels import changed
from lather.core.stages.adjust.values import moved_outline, read_outline, read_spread
from lather.core.stages.adjust.zones import zone_label
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

WIDTH = Number("width_px", "Pores up to", ranges.SPLIT_WIDTH_PX, 6.0, "px", step=0.5)
_LEAST_SPREAD = 0.3
_NATURAL = 0.6  # of the spread of colour in both parts: so far one part of a person is off another by nature
_LIGHT_TIMES, _COLOUR_TIMES = (0.85, 1.2), (0.5, 2.0)  # a hand's own light and shade is its form


class MatchKind(AdjustmentKind):
    """reference, target: where the two were measured; measured_from, measured_to: what was."""

    id = "match"
    for_skin = True
    method = b"match-1"
    label, icon = "Match", "match"
    hint = "Outline skin you trust with Reference, then the skin to match with Target."
    tools = ("reference", "target", "mask", "unmask", "grow")
    by_face = True
    own = (
        Flag("spread", "spread", True), Flag("light", "light", True), Flag("colour", "colour", True),
        Flag("natural", "as far as natural", False), WIDTH,
        Model("reference", "Reference", read_outline, moved_outline),
        Model("target", "Target", read_outline, moved_outline),
        Model("measured_from", "Measured of the target", read_spread),
        Model("measured_to", "Measured of the reference", read_spread),
    )

    @classmethod
    def new_settings(cls) -> dict:
        """Light and form stay where nobody asks for them; parts of a person stay as far apart as they are by nature."""
        return super().new_settings() | {"light": False, "natural": True}

    def margin(self, layer: Layer) -> int:
        return tone_reach(float(self.value(layer, WIDTH.id)))

    def neutral(self, layer: Layer) -> bool:
        both = ("measured_from" in layer.settings) and ("measured_to" in layer.settings)
        return not both or not (self.value(layer, "light") or self.value(layer, "colour"))

    @classmethod
    def said(cls, layer: Layer) -> str:
        if "measured_to" not in layer.settings:
            return "Reference to be outlined"
        if "measured_from" not in layer.settings:
            return "Target to be outlined"
        names = [(layer.settings.get(name) or {}).get("zone") for name in ("reference", "target")]
        return " → ".join(zone_label(name).lower() if name else "outline" for name in names)

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab, band = tone(around.below, rect, level, around.bounds, float(self.value(layer, WIDTH.id)))
        scale, shift = carried(layer.settings, spread=bool(self.value(layer, "spread")),
                               light=bool(self.value(layer, "light")), colour=bool(self.value(layer, "colour")),
                               natural=bool(layer.settings.get("natural")))
        if layer.settings.get("natural") and around.zones is not None and self.starts(layer):
            # a part fades out wide, over skin alone
            coverage = coverage * around.zones.mask("skin", around.faces, rect, level)
        return changed(pixels, lab, band * (scale - 1) + shift, coverage)


def carried(settings: dict, *, spread: bool, light: bool, colour: bool, natural: bool = False
            ) -> tuple[np.ndarray, np.ndarray]:
    """(scale, shift) of Lab, float32 (3,) each: tone · scale + shift has the reference's mean, and its spread.

    natural: between two parts of a person the colour goes no further than into the spread that they have by nature.
    """
    here, there = settings["measured_from"], settings["measured_to"]
    mean_here, mean_there = (np.array(one["mean"], float) for one in (here, there))
    scale = np.ones(3)
    if natural and all("zone" in settings.get(name, ()) for name in ("reference", "target")):
        apart = mean_there[1:] - mean_here[1:]
        usual = _NATURAL * float(np.hypot(*(0.5 * (np.array(here["spread"]) + np.array(there["spread"]))[1:])))
        mean_there = mean_there.copy()
        mean_there[1:] = mean_here[1:] + max(0.0, 1 - usual / max(float(np.hypot(*apart)), 1e-6)) * apart
        spread = False
    if spread:
        times = np.array(there["spread"]) / np.maximum(np.array(here["spread"]), _LEAST_SPREAD)
        scale = np.array([np.clip(times[0], *_LIGHT_TIMES), *np.clip(times[1:], *_COLOUR_TIMES)])
    wanted = np.array([light, colour, colour], float)
    scale = 1 + wanted * (scale - 1)
    shift = wanted * (mean_there - scale * mean_here)
    return scale.astype(np.float32), shift.astype(np.float32)
