"""Teeth: the share of their warmth (b*) that is left."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.parts import teeth


def measure(pictures: Compared) -> float | None:
    """Share of the teeth's b* that is left, in %; None where they had next to none."""
    both = pictures.once(teeth)
    if both is None or abs(both[0][2]) < 0.5:
        return None
    return 100 * float(both[1][2]) / float(both[0][2])


GAUGE = Gauge("teeth_white", "Warmth of the teeth left", "%", measure, lowered_by="less yellow out in Whiten",
              untold="no teeth are seen", stages=("split", "even", "sculpt", "colour", "finish"))
