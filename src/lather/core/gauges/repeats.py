"""Repeats: copied areas that are found twice. Not measured from two pictures alone yet."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared


def measure(pictures: Compared) -> float | None:
    return None


GAUGE = Gauge("repeats", "Repeats", "", measure, track=10.0, written="{:.0f}")
