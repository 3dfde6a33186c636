"""Blotch residual: what stands between pore scale and feature scale in the light of the skin."""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.skin_blur import inside_blur
from lather.core.gauges.tone import tones
from lather.core.measure.bands import MODELLING_SHARE, PORE_BAND_SHARES
from lather.core.types import Lab, Mask


def blotch_residual(lab: Lab, skin: Mask, width: float) -> float:
    """Standard deviation of L* inside skin between pore scale and feature scale, ΔL*."""
    light = np.ascontiguousarray(lab[..., :1]).astype(np.float32)
    deep = cv2.erode((skin > 0.5).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    fine = inside_blur(light, skin, max(0.8, PORE_BAND_SHARES[1] * width))
    coarse = inside_blur(light, skin, 0.5 * MODELLING_SHARE * width)
    band = (fine - coarse)[deep]
    return float(1.48 * np.median(np.abs(band - np.median(band)))) if band.size else 0.0


def measure(pictures: Compared) -> float | None:
    if pictures.once(tones) is None:
        return None
    return blotch_residual(pictures.small[1], pictures.skin, pictures.face_small_px)


GAUGE = Gauge("blotch_residual", "Blotches left", "ΔL*", measure, track=4.0, written="{:.1f} ΔL*", lowered_by="Even")
