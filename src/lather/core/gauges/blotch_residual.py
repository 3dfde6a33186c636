"""Blotch residual: of the light that the photo's bare skin needs, what has not been laid down, by whatever did it.

What is needed is told of the photo once: a network that looks at its own work is no judge of it. What was laid down is
the change of the coarse light, less what is broader than a blotch: a picture that was brightened is no evener.
"""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import where_tone_changed
from lather.core.stages.light.cells import Field
from lather.core.stages.light.needed import BARE, LIGHT, LIGHTNESS_SLOPE, NEEDED, NeededLight, new_cells

_LEAST_SHARE = 0.002  # of the picture that is bare skin, under which it cannot be told
_BROAD_MM = 9.0  # what is wider is the light on the form


def blotch_residual(field: Field, light_after: np.ndarray, per_mm: float) -> float | None:
    """Mean |ΔL*| that bare skin still needs. field: of `NeededLight.over` the photo. light_after: log luminance (h, w),
    at the same points. per_mm: points to a millimetre.
    """
    needed, bare, light = (field.values[..., n] for n in (NEEDED, BARE, LIGHT))
    if bare.mean() < _LEAST_SHARE:
        return None
    laid = light_after - light
    sigma = max(1.0, 0.5 * _BROAD_MM * per_mm)
    share = cv2.GaussianBlur(bare, (0, 0), sigma)
    laid = laid - cv2.GaussianBlur(laid * bare, (0, 0), sigma) / np.maximum(share, 1e-3)
    left = LIGHTNESS_SLOPE * np.exp(light_after / 3) * (needed - laid * bare)
    return float((np.abs(left) * bare).sum() / bare.sum())


def measure(pictures: Compared) -> float | None:
    """Mean |ΔL*| of the light that bare skin still needs; None without skin."""
    before, after, box = pictures.seen_before, pictures.seen_after, pictures.measures.skin_box
    needed = pictures.needed or NeededLight(new_cells())
    field, light = needed.over(before, box), needed.light(after, box)
    return blotch_residual(field, light.values[..., 0], pictures.measures.pixels_per_mm / field.px)


GAUGE = Gauge("blotch_residual", "Blotches left", "ΔL*", measure, track=1.5, written="{:.2f} ΔL*", lowered_by="Even",
              where=where_tone_changed, stages=("split", "even"))
