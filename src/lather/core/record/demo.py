"""A logbook of made-up jobs, kept in memory only: what the logbook looks like after half a year."""

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta

import numpy as np

from lather.core.gauges.registry import GAUGES
from lather.core.job.limits import band
from lather.core.record.entries import DeliveryNote, GaugeNote, LogEntry
from lather.core.record.logbook import Logbook
from lather.core.record.own_speed import own_speeds
from lather.core.record.simulated import FULL_SIZE, Retoucher

_JOBS = (
    ("Wren, spring cards", "Alder & Finch", "natural portrait", "light", 1.0),
    ("Tilda, autumn campaign", "Brook Street Cosmetics", "beauty", "light", 1.3),
    ("Ambrose, jubilee book", "Hollow Press", "natural portrait", "light", 1.0),
    ("Pip, first birthday", "The Marlow family", "newborn/child", "light", 0.4),
    ("Marlow, studio set", "Studio North Quay", "body", "light", 1.4),
    ("Wren, staff page", "Alder & Finch", "identity-true", "light", 0.3),
    ("Tilda, cover test", "Juniper Magazine", "fashion", "bands", 1.2),
    ("Ambrose, book jacket", "Hollow Press", "natural portrait", "sweep", 0.9),
    ("Pip, family cards", "The Marlow family", "newborn/child", "light", 0.5),
)
COUNT, SEED = 41, 5
_RATE_CENTS, _CURRENCY = 4800, "EUR"
_GAUGES = ("texture_kept", "modelling_kept", "colour_life", "largest_move", "keepers_intact")


def demo_logbook(today: date | None = None) -> Logbook:
    """41 jobs up to today, the same ones for the same day."""
    today = today or date.today()
    book, hand, rng = Logbook(":memory:"), Retoucher(SEED, spread=0.25, learning=0.008), np.random.default_rng(SEED)
    day = today - timedelta(days=200)
    for number in range(COUNT):
        day = min(today - timedelta(days=COUNT - 1 - number), day + timedelta(days=int(rng.integers(2, 7))))
        _add(book, hand, rng, number, datetime.combine(day, time(10, 0), UTC))
    return book


def demo_entries(today: date | None = None) -> list[LogEntry]:
    """The made-up jobs, as the logbook would give them."""
    book = demo_logbook(today)
    try:
        return book.entries()
    finally:
        book.close()


def _add(book: Logbook, hand: Retoucher, rng: np.random.Generator, number: int, began: datetime) -> None:
    title, client, kind, route, scale = _JOBS[(COUNT - 1 - number) % len(_JOBS)]
    brief = {"kind": kind, "route": route, "rate_cents": _RATE_CENTS, "outputs": FULL_SIZE}
    speeds = own_speeds([_as_own(entry) for entry in book.entries()])
    job = hand.work(speeds, brief, scale)
    job_id, at = f"demo-{number + 1}", f"{began:%Y-%m-%dT%H:%M:%SZ}"
    price = round(job.plan.cost_cents * float(rng.uniform(0.92, 1.25)) / 100) * 100
    book.note_job(job_id, title=title, client=client, kind=kind, route=route, demo=True, rate_cents=_RATE_CENTS,
                  price_cents=price, currency=_CURRENCY, began=at)
    book.add_spans(job_id, job.spans, at)
    book.set_plan(job_id, {row.stage_id: (row.seconds, row.area) for row in job.plan.rows if row.seconds})
    book.set_finds(job_id, job.mended)
    book.set_gauges(job_id, [_gauge(name, kind, rng) for name in _GAUGES])
    files = int(rng.integers(1, 6))
    for output in range(files):
        book.add_delivery(job_id, DeliveryNote(f"Output {output + 1}", f"/demo/{job_id}-{output + 1}.jpg", "JPEG", 2000,
                                               2500, 1_300_000, "0" * 64, "sRGB", at))


def _gauge(name: str, kind: str, rng: np.random.Generator) -> GaugeNote:
    """Mostly well inside its band; now and then near its end, seldom beyond."""
    limits, gauge = band(kind, name), GAUGES[name]
    low, high = limits.low * gauge.limit_times, limits.high * gauge.limit_times
    share = rng.choice([rng.uniform(0.3, 0.7), 0.95, -0.1], p=[0.94, 0.045, 0.015]) if high > low else 0.0
    return GaugeNote(name, gauge.label, round(low + float(share) * (high - low), 2), low, high, gauge.unit)


def _as_own(entry: LogEntry) -> LogEntry:
    """As if it were no demo: the made-up person learns from the made-up jobs."""
    return replace(entry, demo=False)
