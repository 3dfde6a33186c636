"""Under-eye left: what is left of the hollows under the eyes."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.softened import shares_left


def measure(pictures: Compared) -> float | None:
    left = pictures.once(shares_left).get("under_eye")
    return float(np.mean(left)) if left else None


GAUGE = Gauge("under_eye_left", "Under-eye left", "%", measure, track=120.0, limit_times=100)
