"""Halo: what changed just outside the skin's outline."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.types import Mask

_HALO_SHARE = 0.02  # of the face width
_SEEN_DE = 0.5


def measure(pictures: Compared) -> float | None:
    """ΔL* beside the outline of skin that 98 % of its places stay under."""
    beside, wide = pictures.once(_beside)
    return float(np.percentile(wide[beside], 98)) if beside.any() else 0.0


def where_halo(pictures: Compared) -> Mask:
    """The rim beside the skin, where it changed."""
    beside, wide = pictures.once(_beside)
    return ((wide > _SEEN_DE) & beside).astype(np.float32)


def _beside(pictures: Compared) -> tuple[np.ndarray, np.ndarray]:
    """(ground just outside the skin, ΔE there and everywhere)."""
    inside, ground = pictures.skin > 0.5, pictures.measures.ground > 0
    rim = max(2, int(_HALO_SHARE * pictures.face_small_px))
    near = cv2.dilate(inside.astype(np.uint8), np.ones((2 * rim + 1,) * 2, np.uint8)) > 0
    return near & ~inside & ground, delta_e2000(*(cv2.GaussianBlur(lab, (0, 0), 1.5) for lab in pictures.small))


GAUGE = Gauge("halo", "Halo", "ΔE", measure, track=5.0, written="{:.1f} ΔE",
              where=where_halo, stages=("mend", "split", "even", "crisp", "sculpt"))
