"""Eye whites: the share of their warmth (b*) that is left."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.parts import eye_whites


def measure(pictures: Compared) -> float | None:
    """Share of the eye whites' b* that is left, in %; None where they had next to none."""
    both = pictures.once(eye_whites)
    if both is None or both[0][2] < 1.5:
        return None  # there was none to speak of
    return 100 * float(both[1][2]) / float(both[0][2])


GAUGE = Gauge("eye_white_warmth", "Warmth of the eye whites left", "%", measure, limit_times=1.0,
              lowered_by="less yellow out in Whiten",
              untold="no eye whites are seen", stages=("split", "even", "sculpt", "colour", "finish"))
