"""Residual strength: what is left of all softened finds, on the mean."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import around_finds
from lather.core.gauges.softened import shares_left
from lather.core.kinds.registry import SOFTENED
from lather.core.types import Mask


def measure(pictures: Compared) -> float | None:
    left = [share for shares in pictures.once(shares_left).values() for share in shares]
    return float(np.mean(left)) if left else None


def _where(pictures: Compared) -> Mask | None:
    return around_finds(pictures, [f for f in pictures.finds if f.kind in SOFTENED])


GAUGE = Gauge("residual_strength", "Softened finds left", "%", measure, track=120.0,
              where=_where, stages=("mend", "split", "even", "sculpt"), untold="nothing was softened")
