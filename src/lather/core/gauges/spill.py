"""Spill: what changed where no skin is to be worked on: lips, eyes, brows, cloth."""

import cv2
import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.skin_touched import CHANGED_DE

_LIPS_EYES_AND_CLOTH = (2, 3, 4, 5, 7, 8)  # labels of a plate's zones


def measure(pictures: Compared) -> float | None:
    skin, zones = pictures.skin, pictures.zones
    rest = ~(skin > 0.5) & (pictures.measures.ground == 0)
    if zones is not None:
        small = cv2.resize(zones, skin.shape[::-1], interpolation=cv2.INTER_NEAREST)
        rest = np.isin(small, _LIPS_EYES_AND_CLOTH)
    return 100 * float((pictures.change > CHANGED_DE)[rest].mean()) if rest.any() else 0.0


GAUGE = Gauge("spill", "Spill over edges", "%", measure, track=10.0, written="{:.1f} %", lowered_by="a fence")
