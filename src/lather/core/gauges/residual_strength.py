"""Residual strength: what is left of all softened finds, on the mean."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.softened import shares_left


def measure(pictures: Compared) -> float | None:
    left = [share for shares in pictures.once(shares_left).values() for share in shares]
    return float(np.mean(left)) if left else None


GAUGE = Gauge("residual_strength", "Softened finds left", "%", measure, track=120.0)
