"""Teeth: how light they are."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.parts import teeth


def measure(pictures: Compared) -> float | None:
    """L* of the teeth; None where none are seen."""
    both = pictures.once(teeth)
    return None if both is None else float(both[1][0])


GAUGE = Gauge("teeth_light", "Teeth L*", "L*", measure, track=100.0, written="{:.0f}",
              lowered_by="less light in Whiten",
              untold="no teeth are seen", stages=("split", "even", "sculpt", "colour", "finish"))
