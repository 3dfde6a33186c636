"""Detail at one or two radii, raised through a mask: no halo beyond the local range, grain left as it is.

Unsharp masking on L* (Gaussian), cored by the photo's own grain, its overshoot held to the range of lightness that the
neighbourhood has.
"""

import cv2
import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import reach
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Mask, Rect

AMOUNT = Number("amount", "Fine detail", ranges.Range(0.0, 3.0), 1.0, "%", shown_times=100)
FINE = Number("fine_px", "Fine radius", ranges.Range(0.4, 20.0, "px"), 1.2, "px", step=0.1)
WIDE_AMOUNT = Number("wide_amount", "Wide detail", ranges.Range(0.0, 3.0), 0.0, "%", shown_times=100)
WIDE = Number("wide_px", "Wide radius", ranges.Range(1.0, 60.0, "px"), 4.0, "px", step=0.5)
NOISE = Number("noise", "Grain", ranges.Range(0.0, 20.0, "L*"), 0.0, "L*", step=0.1)
HALO = 0.8
"""L* that a raised detail may pass the range of its neighbourhood."""
_CORE, _FULL = 1.5, 3.5  # times the grain: below nothing is raised, from there all of it
_GRAIN_LEFT = 0.45  # of the grain in the finest detail, after the radius: blurred grain is in both


class CrispKind(AdjustmentKind):
    """noise: spread of L* that the photo's grain makes."""

    id = "crisp"
    method = b"crisp-1"
    label, icon = "Detail", "crisp"
    hint = "Paint where detail is to stand out: eyes, lashes, brows, lips, hair. Skin stays as it is."
    own = (AMOUNT, FINE, WIDE_AMOUNT, WIDE, NOISE)
    levels_within = 0.05  # what a radius of a pixel does is not seen from further away

    def _radii(self, layer: Layer) -> list[tuple[float, float]]:
        """(amount, sigma px) of each radius in use."""
        pairs = ((AMOUNT.id, FINE.id), (WIDE_AMOUNT.id, WIDE.id))
        both = ((float(self.value(layer, amount)), float(self.value(layer, radius))) for amount, radius in pairs)
        return [(amount, radius) for amount, radius in both if amount > 0]

    @classmethod
    def meant_for(cls, layer: Layer) -> tuple[str, ...]:
        """As `LayerKind.meant_for`."""
        return tuple(layer.settings.get("zones") or ())

    def margin(self, layer: Layer) -> int:
        return max((reach(radius) + 1 for _, radius in self._radii(layer)), default=0)

    def neutral(self, layer: Layer) -> bool:
        return not self._radii(layer)

    @classmethod
    def said(cls, layer: Layer) -> str:
        fine, wide = (layer.settings.get(one.id, one.start) for one in (AMOUNT, WIDE_AMOUNT))
        return phrase("fine %1 %", f"{100 * fine:.0f}") + (phrase(" · wide %1 %", f"{100 * wide:.0f}") if wide else "")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        noise = float(self.value(layer, NOISE.id))
        margin = max(reach(radius / (1 << level)) + 1 for _, radius in self._radii(layer))
        all_around = rect.expand(margin).intersect(around.bounds.at_level(level))
        lab_around = to_lab(around.below(all_around, level))
        lab = np.ascontiguousarray(lab_around[rect.slices(all_around)])
        raised = np.zeros(lab.shape[:2], np.float32)
        low = high = lab[..., 0]
        for amount, radius in self._radii(layer):
            sigma = radius / (1 << level)
            if sigma < 0.25:
                continue  # finer than what is seen from here
            wide = rect.expand(reach(sigma) + 1).intersect(around.bounds.at_level(level))
            light = np.ascontiguousarray(lab_around[wide.slices(all_around)][..., 0])
            detail, part_low, part_high = _detail(light, sigma, noise / (1 << level), rect, wide)
            raised += np.float32(amount) * detail
            low, high = np.minimum(low, part_low), np.maximum(high, part_high)
        light = np.clip(lab[..., 0] + raised, low - np.float32(HALO), high + np.float32(HALO))
        change = np.zeros_like(lab)
        change[..., 0] = light - lab[..., 0]
        return changed(pixels, lab, change, coverage)


def _detail(light: np.ndarray, sigma: float, noise: float, rect: Rect, wide: Rect) -> tuple[np.ndarray, ...]:
    """(detail above the grain, least, most L* of the neighbourhood), each over `rect`; light: L* over `wide`."""
    side = 2 * reach(sigma) + 1
    detail = light - cv2.GaussianBlur(light, (side, side), sigma, borderType=cv2.BORDER_REPLICATE)
    if noise > 0:
        seen = noise * (_GRAIN_LEFT + 0.5 * min(1.0, 0.5 / sigma))
        strength = np.abs(cv2.GaussianBlur(detail, (3, 3), 0.7, borderType=cv2.BORDER_REPLICATE))
        share = np.clip((strength - _CORE * seen) / ((_FULL - _CORE) * seen), 0, 1)
        detail = detail * share * share * (3 - 2 * share)
    box = np.ones((2 * max(1, round(sigma)) + 1,) * 2, np.uint8)
    part = rect.slices(wide)
    return detail[part], cv2.erode(light, box)[part], cv2.dilate(light, box)[part]
