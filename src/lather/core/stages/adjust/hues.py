"""Hue, chroma and lightness of a range of hues that was picked on the photo."""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Number
from lather.core.stages.adjust.kind import MASK_TOOLS, AdjustmentKind
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Lab, Mask, Rect

HUE = Number("hue", "Hue", ranges.Range(0.0, 360.0, "°"), 60.0, "°")
WIDTH = Number("hue_width", "Range", ranges.Range(5.0, 180.0, "°"), 30.0, "°")
TURN = Number("turn", "Turn", ranges.Range(-60.0, 60.0, "°"), 0.0, "°")
CHROMA = Number("chroma", "Chroma", ranges.Range(-1.0, 1.0), 0.0, "%", shown_times=100)
LIGHT = Number("lightness", "Lightness", ranges.Range(-20.0, 20.0, "L*"), 0.0, "L*", step=0.5)
_GREY = (2.0, 8.0)  # chroma below which a hue means nothing


class HuesKind(AdjustmentKind):
    """Turn, chroma and lightness of one range of hues."""

    id = "hues"
    levels_within = 0.03  # a mean of hues is none of them
    method = b"hues-1"
    label, icon = "Hue range", "hues"
    hint = "Touch a colour with Pick: all that has its hue is turned, strengthened or lightened."
    tools = ("pick", *MASK_TOOLS)
    own = (HUE, WIDTH, TURN, CHROMA, LIGHT)
    mask = everywhere()

    def neutral(self, layer: Layer) -> bool:
        return all(float(self.value(layer, one.id)) == 0 for one in (TURN, CHROMA, LIGHT))

    @classmethod
    def said(cls, layer: Layer) -> str:
        held = {one.id: layer.settings.get(one.id, one.start) for one in (HUE, TURN, CHROMA, LIGHT)}
        moved = [f"{held['turn']:+.0f}°"] * bool(held["turn"]) + [f"C* {100 * held['chroma']:+.0f} %"] * bool(
            held["chroma"]) + [f"L* {held['lightness']:+.1f}"] * bool(held["lightness"])
        return f"{held['hue']:.0f}°" + (f" · {', '.join(moved)}" if moved else "")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        share = in_range(lab, float(self.value(layer, "hue")), float(self.value(layer, "hue_width")))
        turn = np.radians(float(self.value(layer, "turn"))) * share
        times = 1 + float(self.value(layer, "chroma")) * share
        a, b, change = lab[..., 1], lab[..., 2], np.empty_like(lab)
        change[..., 0] = float(self.value(layer, "lightness")) * share
        change[..., 1] = times * (a * np.cos(turn) - b * np.sin(turn)) - a
        change[..., 2] = times * (a * np.sin(turn) + b * np.cos(turn)) - b
        return changed(pixels, lab, change, coverage)


def in_range(lab: Lab, hue: float, width: float) -> Mask:
    """Share 0-1 (h, w) of pixels within a range of hues: all of it in its inner half, none from its end on."""
    off = np.abs((np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) - hue + 180) % 360 - 180)
    share = np.clip(2 - 2 * off / width, 0, 1)
    chroma = np.clip((np.hypot(lab[..., 1], lab[..., 2]) - _GREY[0]) / (_GREY[1] - _GREY[0]), 0, 1)
    return (share * share * (3 - 2 * share) * chroma).astype(np.float32)
