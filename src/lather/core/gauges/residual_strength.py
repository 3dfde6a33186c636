"""Residual strength: what is left of all softened finds."""

from lather.core.gauges.softened import left_gauge
from lather.core.kinds.registry import SOFTENED

GAUGE = left_gauge("residual_strength", "Softened finds left", SOFTENED, "nothing was softened", limit_times=1)
