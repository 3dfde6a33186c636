"""Whiten: teeth or eye whites get lighter and less yellow, never beyond a ceiling, their own form and shade kept."""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Choice, Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.adjust.values import read_lab, read_lightness
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Lab, Mask, Rect

PARTS = {"teeth": "Teeth", "eye_whites": "Eye whites"}
LEAST_WARMTH = 0.25
"""Share of their yellow that teeth keep, whatever is asked for: without it they look false."""
_LIGHT_MOST = 14.0  # L* at 100 %
_DARK = (0.35, 0.75)  # of the usual lightness: gaps between teeth, the shade of a lid
_VEINS = 0.7  # of the red that goes with the yellow, in an eye white
PART = Choice("part", "Part", PARTS, "teeth")
LIGHTER = Number("lighter", "Lighter", ranges.SHARE, 0.35, "%", shown_times=100)
YELLOW_OUT = Number("yellow_out", "Yellow out", ranges.SHARE, 0.5, "%", shown_times=100)
MOST_LIGHT = Number("most_light", "At most L*", ranges.Range(30.0, 98.0), 80.0)
LEAST_YELLOW = Number("least_yellow", "Warmth kept", ranges.Range(LEAST_WARMTH, 1.0), 0.4, "%", shown_times=100)


class WhitenKind(AdjustmentKind):
    """measured: usual colour of the part before anything, Lab. Without it nothing is done. below_light: L* that teeth
    stay under, by the eye white beside them, however high the ceiling is set.
    """

    id = "whiten"
    method = b"whiten-1"
    label, icon = "Whiten", "whiten"
    hint = "Teeth and eye whites each have a layer and a ceiling. Teeth stay darker than the eye white."
    own = (
        PART, LIGHTER, YELLOW_OUT, MOST_LIGHT, LEAST_YELLOW, Model("measured", "Measured", read_lab),
        Model("below_light", "Under the eye white", read_lightness),
    )
    mask = by_zones("teeth")

    @classmethod
    def meant_for(cls, layer: Layer) -> tuple[str, ...]:
        """As `LayerKind.meant_for`."""
        return (str(layer.settings.get("part", PART.start)),)

    def neutral(self, layer: Layer) -> bool:
        return "measured" not in layer.settings or (
            float(self.value(layer, "lighter")) == 0 and float(self.value(layer, "yellow_out")) == 0)

    @classmethod
    def said(cls, layer: Layer) -> str:
        part = PARTS[layer.settings.get("part", "teeth")].lower()
        return part if "measured" in layer.settings else phrase("no %1 to be seen", part)

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        return changed(pixels, lab, self.change(layer, lab), coverage)

    def change(self, layer: Layer, lab: Lab) -> Lab:
        """In Lab (…, 3): one lightness more for all of the part, less of it in its gaps and where it nearly burns."""
        usual = np.array(layer.settings["measured"], float)
        kept, lighter = warmth_kept(layer.settings), gain(layer.settings)
        light = lab[..., 0]
        low, high = (share * usual[0] for share in _DARK)
        body = np.clip((light - low) / max(high - low, 1e-3), 0, 1)
        room = np.clip((100 - light) / max(100 - usual[0], 1.0), 0, 1)
        change = np.zeros_like(lab)
        change[..., 0] = lighter * body * np.minimum(room, 1)
        change[..., 2] = (kept - 1) * np.maximum(lab[..., 2], 0)
        if self.value(layer, "part") == "eye_whites":  # vessels: what is redder than the white itself
            redder = np.maximum(lab[..., 1] - min(usual[1], 4.0), 0)
            change[..., 1] = (kept - 1) * _VEINS * redder
            change[..., 0] += (1 - kept) * _VEINS * 0.45 * redder
        return change.astype(np.float32)


def warmth_kept(settings: dict) -> float:
    """Share of the yellow that is left."""
    least = max(LEAST_WARMTH, float(settings.get("least_yellow", LEAST_YELLOW.start)))
    return max(least, 1 - float(settings.get("yellow_out", YELLOW_OUT.start)))


def gain(settings: dict) -> float:
    """L* that the usual colour of the part gains: what is asked for, or what is left up to the ceiling."""
    wanted = _LIGHT_MOST * float(settings.get("lighter", LIGHTER.start))
    return max(0.0, min(wanted, ceiling(settings) - float(settings["measured"][0])))


def ceiling(settings: dict) -> float:
    """L* that the usual colour of the part is not raised over."""
    return min(float(settings.get("most_light", MOST_LIGHT.start)), float(settings.get("below_light", 100)))
