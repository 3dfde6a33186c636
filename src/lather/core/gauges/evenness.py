"""Evenness: left against right of the face, in light and in form, as it was and now."""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import where_tone_changed
from lather.core.gauges.tone import tones
from lather.core.stages.base import STILL
from lather.core.stages.shape.measures import left_right


def measure(pictures: Compared) -> float | None:
    """Left/right difference of the face now, against that of the photo (1: as it was): of its lightness or of its form,
    whichever has changed more.
    """
    both = [share for share in (_of_light(pictures), _of_form(pictures)) if share is not None]
    return max(both, key=lambda share: abs(np.log(max(share, 1e-3)))) if both else None


def _of_form(pictures: Compared) -> float | None:
    face = pictures.measures.face
    if pictures.warp in (None, STILL) or face is None or not face.mesh:
        return None
    return left_right(face, pictures.warp.to_above) / max(left_right(face), _LEAST_PERCENT)


def _of_light(pictures: Compared) -> float | None:
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


_LEAST_PERCENT = 0.3  # of the face's width: hardly any face is evener

GAUGE = Gauge("evenness", "Left against right", "", measure, track=2.0, written="{:.2f}",
              where=where_tone_changed, untold="no face was found")
