"""Eye whites: how light they are."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.parts import eye_whites


def measure(pictures: Compared) -> float | None:
    """L* of the eye whites; None where they are not seen."""
    both = pictures.once(eye_whites)
    return None if both is None else float(both[1][0])


GAUGE = Gauge("eye_white_light", "Eye whites L*", "L*", measure, track=100.0, written="{:.0f}",
              lowered_by="less light in Whiten",
              untold="no eye whites are seen", stages=("split", "even", "sculpt", "colour", "finish"))
