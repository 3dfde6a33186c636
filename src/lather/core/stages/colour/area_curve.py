"""A curve of L* in an area."""

from lather.core.job.model import Layer
from lather.core.parameters import Model
from lather.core.phrases import phrase
from lather.core.stages.adjust.curve import STRAIGHT, is_straight, read_curve, through
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.lightness import to_lightness
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

CURVE = Model("curve", "Curve", read_curve)


def points_of(layer: Layer) -> tuple[tuple[float, float], ...]:
    """The points of a layer's curve, (in, out), 0-1."""
    return tuple(tuple(point) for point in layer.settings.get("curve", STRAIGHT))


class AreaCurveKind(AdjustmentKind):
    """A tone curve of L* inside a mask."""

    id = "area_curve"
    method = b"area-curve-1"
    label, icon = "Curve in an area", "curve"
    hint = "Draw an area with Outline or paint it, then bend the curve."
    own = (CURVE,)

    def neutral(self, layer: Layer) -> bool:
        return is_straight(points_of(layer))

    @classmethod
    def said(cls, layer: Layer) -> str:
        return "straight" if is_straight(points_of(layer)) else phrase("%1 points", len(points_of(layer)))

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        light = 100 * through(points_of(layer), lab[..., 0] / 100)
        return changed(pixels, lab, to_lightness(lab, light), coverage)
