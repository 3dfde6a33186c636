"""Keepers intact: marks that are to stay, as they were."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.measure.keepers import intact_keepers


def measure(pictures: Compared) -> float | None:
    if not pictures.keepers:
        return None
    intact = intact_keepers(pictures.keepers, *pictures.reads(), pictures.bounds, pictures.profile)
    return len(intact) / len(pictures.keepers)


GAUGE = Gauge("keepers_intact", "Keepers intact", "", measure, track=1.0, written="{:.2f}", lowered_by="Give back")
