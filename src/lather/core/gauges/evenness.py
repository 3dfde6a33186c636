"""Evenness: left against right of the face, as it was and now."""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.tone import tones


def measure(pictures: Compared) -> float | None:
    """Left/right difference of the face's lightness now, against that of the photo (1: as it was)."""
    face, scale = pictures.measures.face, pictures.measures.scale
    tone = pictures.once(tones)
    if face is None or tone is None:
        return None
    origin, across, down = face.frame
    us, vs = np.meshgrid(np.linspace(0.1, 0.9, 30), np.linspace(-0.5, 1.3, 60))
    differences = []
    for lab in tone:
        sides = []
        for sign in (-1, 1):
            places = origin + face.eye_distance_px * (sign * us[..., None] * across + vs[..., None] * down)
            grid = (places / scale).astype(np.float32)
            sides.append(cv2.remap(lab[..., 0].astype(np.float32), grid[..., 0], grid[..., 1], cv2.INTER_LINEAR))
        differences.append(float(np.abs(sides[0] - sides[1]).mean()))
    return differences[1] / differences[0] if differences[0] > 0.05 else None


GAUGE = Gauge("evenness", "Left against right", "", measure, track=2.0, written="{:.2f}")
