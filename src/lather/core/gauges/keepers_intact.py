"""Keepers intact: marks that are to stay, as they were."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import around_finds
from lather.core.measure.keepers import intact_keepers
from lather.core.types import Mask


def measure(pictures: Compared) -> float | None:
    """Keepers that are as they were, in % of all; None where there are none."""
    if not pictures.keepers:
        return None
    intact = intact_keepers(pictures.keepers, *pictures.reads(), pictures.bounds, pictures.profile)
    return len(intact) / len(pictures.keepers)


def _where(pictures: Compared) -> Mask | None:
    return around_finds(pictures, list(pictures.keepers or (pictures.job.keepers() if pictures.job else ())))


GAUGE = Gauge("keepers_intact", "Keepers intact", "", measure, track=1.0, written="{:.2f}", lowered_by="Give back",
              where=_where, untold="no marks are listed to stay")
