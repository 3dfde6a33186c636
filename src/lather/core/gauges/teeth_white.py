"""Teeth: the share of their warmth (b*) that is left."""

import cv2

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared

_TEETH, _LEAST_PX = 3, 30


def measure(pictures: Compared) -> float | None:
    if pictures.zones is None:
        return None
    small = cv2.resize(pictures.zones, pictures.change.shape[::-1], interpolation=cv2.INTER_NEAREST) == _TEETH
    if small.sum() < _LEAST_PX:
        return None
    was, now = (float(lab[..., 2][small].mean()) for lab in pictures.small)
    return 100 * now / was if abs(was) > 0.5 else None


GAUGE = Gauge("teeth_white", "Warmth of the teeth left", "%", measure)
