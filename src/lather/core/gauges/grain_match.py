"""Grain match: the grain of what was touched against that around it."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.fine_bands import fine_bands
from lather.core.gauges.maps import where_texture_changed


def measure(pictures: Compared) -> float | None:
    """Energy of grain where something was done, against that around it; 1 is alike."""
    return pictures.once(fine_bands)[1]


GAUGE = Gauge("grain_match", "Grain match", "", measure, track=1.5, written="{:.2f}", lowered_by="Grain: put back",
              where=where_texture_changed, stages=("mend", "split", "grain", "crisp"))
