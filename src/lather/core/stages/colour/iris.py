"""Iris: more colour, light in its lower part, its pattern clearer; catchlights stay, both eyes get the same."""

import cv2
import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import reach
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.adjust.values import read_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

SATURATION = Number("saturation", "Colour", ranges.Range(-1.0, 1.0), 0.15, "%", shown_times=100)
LOWER = Number("lower_light", "Light below", ranges.Range(0.0, 1.0, "stop"), 0.2, "stop", step=0.05)
CONTRAST = Number("contrast", "Pattern", ranges.SHARE, 0.2, "%", shown_times=100)
_CATCHLIGHT = (18.0, 34.0)  # L* over the iris's own
_PATTERN_SHARE = 0.16  # of the radius: what is wider is the iris's own light
_LIGHT_OF_STOP = 8.5  # L* that a stop is worth in a middle tone


class IrisKind(AdjustmentKind):
    """measured: usual colour of the irises, Lab. radius_px: of an iris."""

    id = "iris"
    method = b"iris-1"
    label, icon = "Iris", "iris"
    hint = "Both irises get the same; catchlights are left out."
    own = (SATURATION, LOWER, CONTRAST, Number("radius_px", "Radius", ranges.FIND_SIZE_PX, 20.0, "px"),
           Model("measured", "Measured", read_lab))
    mask = by_zones("irises")
    by_face = True

    @classmethod
    def meant_for(cls, layer: Layer) -> tuple[str, ...]:
        """As `LayerKind.meant_for`."""
        return ("irises",)

    def margin(self, layer: Layer) -> int:
        return reach(self._sigma(layer))

    def _sigma(self, layer: Layer) -> float:
        return max(0.5, _PATTERN_SHARE * float(self.value(layer, "radius_px")))

    def neutral(self, layer: Layer) -> bool:
        return all(float(self.value(layer, one.id)) == 0 for one in (SATURATION, LOWER, CONTRAST))

    @classmethod
    def said(cls, layer: Layer) -> str:
        return phrase("colour %1 %", f"{100 * layer.settings.get('saturation', SATURATION.start):+.0f}")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        sigma = self._sigma(layer) / (1 << level)
        wide = rect.expand(reach(sigma)).intersect(around.bounds.at_level(level))
        light = to_lab(around.below(wide, level))[..., 0]
        side = 2 * reach(sigma) + 1
        smooth = cv2.GaussianBlur(light, (side, side), sigma, borderType=cv2.BORDER_REPLICATE)[rect.slices(wide)]
        usual = float(layer.settings["measured"][0]) if "measured" in layer.settings else 30.0
        low, high = (usual + off for off in _CATCHLIGHT)
        free = 1 - np.clip((lab[..., 0] - low) / (high - low), 0, 1)
        change = np.zeros_like(lab)
        change[..., 0] = float(self.value(layer, "contrast")) * 1.4 * (lab[..., 0] - smooth)
        change[..., 0] += float(self.value(layer, "lower_light")) * _LIGHT_OF_STOP * lower_part(around, rect, level)
        change[..., 1:] = float(self.value(layer, "saturation")) * lab[..., 1:]
        return changed(pixels, lab, change * free[..., None].astype(np.float32), coverage)


def lower_part(around: Surroundings, rect: Rect, level: int) -> Mask:
    """Where light that falls into an eye from above leaves it again: 0 at an iris's middle, 1 at its lower rim."""
    step = 1 << level
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
    out = np.zeros((rect.height, rect.width), np.float32)
    for face in around.faces:
        _, _, down = face.frame
        for x, y, radius in face.irises.values():
            away = ((xs * step - x) * down[0] + (ys * step - y) * down[1]) / max(radius, 1.0)
            near = np.hypot(xs * step - x, ys * step - y) < 1.3 * radius
            out = np.maximum(out, np.where(near, np.clip(away, 0, 1), 0))
    return out.astype(np.float32)
