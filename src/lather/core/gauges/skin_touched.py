"""Skin touched: the share of it that looks other than in the photo."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared

CHANGED_DE = 1.0


def measure(pictures: Compared) -> float | None:
    """Share of skin, in %, that looks other than in the photo."""
    inside = pictures.skin > 0.5
    return 100 * float((pictures.change > CHANGED_DE)[inside].mean()) if inside.any() else None


GAUGE = Gauge("skin_touched", "Skin touched", "%", measure, track=100.0,
              where=lambda p: ((p.change > CHANGED_DE) & (p.skin > 0.5)).astype(np.float32))
