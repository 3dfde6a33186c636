"""Colour life: how much skin differs in colour from place to place, against the photo."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import where_colour_changed
from lather.core.gauges.tone import tones


def measure(pictures: Compared) -> float | None:
    """Spread of a* and b* over skin, in % of the photo's."""
    both = pictures.once(tones)
    if both is None:
        return None
    inside = pictures.skin > 0.5
    was, now = (float(np.sqrt(t[..., 1][inside].var() + t[..., 2][inside].var())) for t in both)
    return 100 * now / was if was > 0 else None


GAUGE = Gauge("colour_life", "Colour life", "%", measure,
              where=where_colour_changed, stages=("mend", "split", "colour", "finish"))
