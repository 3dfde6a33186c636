"""A job as the logbook holds it, and what follows from it by arithmetic."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from lather.core.plan.plan import AROUND

OUTSIDE = ("brief", "review", "deliver", AROUND)
"""What time outside the ten stages is logged under."""


@dataclass(frozen=True)
class GaugeNote:
    """A gauge at delivery, in its unit, with its band then."""

    gauge: str
    label: str
    value: float
    low: float
    high: float
    unit: str = ""

    @property
    def state(self) -> str:
        """over, near or inside: near within a tenth of the band of a limit; nothing of something is not near its 0."""
        value = round(self.value, 3)
        if not self.low <= value <= self.high:
            return "over"
        room = 0.1 * (self.high - self.low)
        near_low = self.low > 0 and value < self.low + room
        return "near" if near_low or (room > 0 and value > self.high - room) else "inside"


@dataclass(frozen=True)
class DeliveryNote:
    """A file that was delivered: written, read back and found equal."""

    output: str
    path: str
    format: str
    width: int
    height: int
    bytes: int
    sha256: str
    profile: str
    at: str


@dataclass(frozen=True)
class LogEntry:
    """One job. seconds, planned: by stage. spent: {(stage, kind): (finds, seconds)}. areas: planned, by stage, in
    squares of the face's width. Money in hundredths.
    """

    job_id: str
    title: str
    client: str = ""
    kind: str = ""
    route: str = ""
    began: str = ""
    delivered_at: str = ""
    demo: bool = False
    rate_cents: int | None = None
    price_cents: int | None = None
    currency: str = ""
    machine: str = ""
    seconds: Mapping[str, int] = field(default_factory=dict)
    planned: Mapping[str, int] = field(default_factory=dict)
    areas: Mapping[str, float] = field(default_factory=dict)
    spent: Mapping[tuple[str, str], tuple[int, int]] = field(default_factory=dict)
    mended: Mapping[str, int] = field(default_factory=dict)
    gauges: tuple[GaugeNote, ...] = ()
    deliveries: tuple[DeliveryNote, ...] = ()

    @property
    def day(self) -> str:
        """ISO date under which it is listed: delivered, else begun."""
        return (self.delivered_at or self.began)[:10]

    @property
    def real_s(self) -> int:
        """Worked in all stages, seconds."""
        return sum(self.seconds.values())

    @property
    def planned_s(self) -> int:
        """Planned for all stages, seconds."""
        return sum(self.planned.values())

    @property
    def against_plan_s(self) -> int | None:
        """Seconds over (positive) or under what was planned; None without a plan."""
        return self.real_s - self.planned_s if self.planned else None

    @property
    def finds(self) -> int:
        """Finds mended, of all kinds."""
        return sum(self.mended.values())

    @property
    def earned_cents(self) -> int | None:
        """Really earned an hour, rounded half up; None without a price or time."""
        return earned_an_hour(self.price_cents, self.real_s)

    @property
    def gauge_state(self) -> str:
        """over, near, inside, or "" where none was measured."""
        states = [note.state for note in self.gauges]
        return "over" if "over" in states else "near" if "near" in states else "inside" if states else ""


_LEAST_S = 60


def earned_an_hour(price_cents: int | None, seconds: int) -> int | None:
    """None without a price, or under a minute: nothing can be told from that."""
    if price_cents is None or seconds < _LEAST_S:
        return None
    return (2 * price_cents * 3600 + seconds) // (2 * seconds)


@dataclass(frozen=True)
class Totals:
    """What jobs add up to; money by currency. earned_cents: an hour; None where there are several currencies."""

    jobs: int
    planned_s: int
    real_s: int
    finds: int
    files: int
    price_cents: Mapping[str, int]
    earned_cents: int | None


@dataclass(frozen=True)
class Sums:
    """Of the entries shown: each is the sum of what stands above it. Money by currency where there are several."""

    jobs: int
    planned_s: int
    real_s: int
    against_s: int
    finds: int
    files: int
    price_cents: Mapping[str, int]
    earned_cents: int | None
    all_inside: int


def sums(entries: Iterable[LogEntry]) -> Sums:
    """earned_cents: prices over the time of the priced jobs; None where there are several currencies."""
    entries = list(entries)
    prices: dict[str, int] = {}
    for entry in entries:
        if entry.price_cents is not None:
            prices[entry.currency] = prices.get(entry.currency, 0) + entry.price_cents
    timed = sum(entry.real_s for entry in entries if entry.price_cents is not None)
    return Sums(
        len(entries), sum(entry.planned_s for entry in entries), sum(entry.real_s for entry in entries),
        sum(entry.against_plan_s or 0 for entry in entries), sum(entry.finds for entry in entries),
        sum(len(entry.deliveries) for entry in entries), prices,
        earned_an_hour(next(iter(prices.values())), timed) if len(prices) == 1 else None,
        sum(entry.gauge_state == "inside" for entry in entries),
    )


def matches(entry: LogEntry, *, words: str = "", kind: str = "", route: str = "", month: str = "", gauges: str = "",
            ) -> bool:
    """True if every word is found in title or client, and each filter that is set holds. month: `2026-11`.

    gauges: inside, near or over.
    """
    text = f"{entry.title} {entry.client}".casefold()
    return (all(word in text for word in words.casefold().split()) and (not kind or entry.kind == kind)
            and (not route or entry.route == route) and (not month or entry.day.startswith(month))
            and (not gauges or entry.gauge_state == gauges))
