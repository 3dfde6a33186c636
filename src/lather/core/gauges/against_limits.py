"""Gauges with their bands: what is inside, what is not, and why the limit is where it is."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from lather.core.gauges.base import Gauge
from lather.core.gauges.registry import GAUGES
from lather.core.job.limits import band
from lather.core.phrases import Phrase, joined, phrase


@dataclass(frozen=True)
class JudgedGauge:
    """value: None where it cannot be told. low, high: in the gauge's unit."""

    gauge: Gauge
    value: float | None
    low: float
    high: float
    why: str

    @property
    def within(self) -> bool | None:
        """True inside its band; None where it cannot be told."""
        return None if self.value is None else bool(self.low <= round(self.value, 3) <= self.high)

    @property
    def state(self) -> str:
        """inside, low, high, or "not told"."""
        if self.value is None:
            return "not told"
        return "inside" if self.within else "low" if self.value < self.low else "high"

    @property
    def text(self) -> str:
        """The value as it is written, with its unit."""
        return "–" if self.value is None else self.gauge.written.format(self.value)

    @property
    def band_text(self) -> str:
        """What is allowed, as it is written."""
        low, high = (self.gauge.written.format(limit) for limit in (self.low, self.high))
        return phrase("%1 to %2", low.split(" ")[0], high)

    def to_json(self) -> dict:
        """As `lather measure --json` prints it."""
        return {"value": None if self.value is None else round(float(self.value), 3), "unit": self.gauge.unit,
                "low": self.low, "high": self.high, "within": self.within}


def said_over(over: Iterable[JudgedGauge]) -> Phrase:
    """Gauges with their values and what is allowed, as one line."""
    return joined([phrase("%1 %2 (%3)", one.gauge.label.lower(), one.text, one.band_text) for one in over], ", ")


def judged_gauges(values: Mapping[str, float | None], job_kind: str | None) -> dict[str, JudgedGauge]:
    """All gauges by id, in their order."""
    made = {}
    for name, gauge in GAUGES.items():
        limits, times, value = band(job_kind, name), gauge.limit_times, values.get(name)
        made[name] = JudgedGauge(gauge, None if value is None else float(value), limits.low * times,
                                 limits.high * times, limits.why)
    return made
