"""Skin texture kept: the energy of pores now against the photo's."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.fine_bands import fine_bands
from lather.core.gauges.maps import where_texture_changed


def measure(pictures: Compared) -> float | None:
    """Energy of pores in % of the photo's, read from tiles of skin."""
    return pictures.once(fine_bands)[0]


GAUGE = Gauge("texture_kept", "Skin texture kept", "%", measure, lowered_by="less smoothing, or Grain",
              where=where_texture_changed, stages=("mend", "split", "even", "grain", "crisp"))
