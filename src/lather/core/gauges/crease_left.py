"""Crease left: what is left of softened creases."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import around_finds
from lather.core.gauges.softened import shares_left
from lather.core.types import Mask


def measure(pictures: Compared) -> float | None:
    left = pictures.once(shares_left).get("crease")
    return float(np.mean(left)) if left else None


def _where(pictures: Compared) -> Mask | None:
    return around_finds(pictures, [f for f in pictures.finds if f.kind == "crease"])


GAUGE = Gauge("crease_left", "Creases left", "%", measure, track=120.0, limit_times=100,
              where=_where, stages=("mend", "split", "even", "sculpt"), untold="no crease was softened")
