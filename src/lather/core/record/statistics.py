"""What the charts of the logbook show, as plain series; and the table as CSV."""

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

from lather.core.job.brief import money
from lather.core.job.model import STAGE_IDS
from lather.core.kinds.registry import kind_of
from lather.core.plan.minutes import shipped_speeds
from lather.core.record.entries import OUTSIDE, LogEntry

_SMOOTHED_OVER = 3  # jobs


@dataclass(frozen=True)
class StageMinutes:
    """Minutes of a stage over all jobs: planned and real."""

    stage_id: str
    label: str
    planned_s: int
    real_s: int


@dataclass(frozen=True)
class FindSpeed:
    """values: (number of the job, seconds each) of one kind, over jobs; each over this job and the two before."""

    kind: str
    label: str
    values: tuple[tuple[int, float], ...]
    shipped: float

    @property
    def latest(self) -> float:
        """Seconds per find in the last job."""
        return self.values[-1][1]


@dataclass(frozen=True)
class Earned:
    """Really earned an hour by one job, and what was asked."""

    title: str
    day: str
    cents: int
    rate_cents: int | None

    @property
    def under(self) -> bool:
        """True where the hour earned less than was asked."""
        return self.rate_cents is not None and self.cents < self.rate_cents


@dataclass(frozen=True)
class AgainstPlan:
    """How far a job was from its plan."""

    title: str
    day: str
    planned_s: int
    real_s: int


def minutes_by_stage(entries: Sequence[LogEntry]) -> list[StageMinutes]:
    """The ten stages, then what lies outside them; sums of the entries."""
    rows = [StageMinutes(stage, stage.capitalize(), sum(e.planned.get(stage, 0) for e in entries),
                         sum(e.seconds.get(stage, 0) for e in entries)) for stage in STAGE_IDS]
    around = StageMinutes("around", "Around it", sum(e.planned.get("around", 0) for e in entries),
                          sum(e.seconds.get(name, 0) for e in entries for name in OUTSIDE))
    return [*rows, around]


def minutes_over_time(entries: Sequence[LogEntry]) -> list[tuple[str, dict[str, int]]]:
    """(month, {stage: seconds}), the earliest first."""
    months: dict[str, dict[str, int]] = {}
    for entry in entries:
        held = months.setdefault(entry.day[:7], {})
        for stage, seconds in entry.seconds.items():
            name = "around" if stage in OUTSIDE else stage
            held[name] = held.get(name, 0) + seconds
    return sorted(months.items())


def seconds_per_find(entries: Sequence[LogEntry], most: int = 4) -> list[FindSpeed]:
    """The kinds on which most finds were mended, the slowest first."""
    ordered = sorted(entries, key=lambda e: (e.delivered_at or e.began, e.job_id))
    held: dict[str, list[tuple[int, int, int]]] = {}
    for number, entry in enumerate(ordered, 1):
        by_kind: dict[str, list[int]] = {}
        for (_, kind), (count, seconds) in entry.spent.items():
            if kind and count:
                row = by_kind.setdefault(kind, [0, 0])
                row[0], row[1] = row[0] + count, row[1] + seconds
        for kind, (count, seconds) in by_kind.items():
            held.setdefault(kind, []).append((number, count, seconds))
    usual = sorted(held, key=lambda kind: -sum(count for _, count, _ in held[kind]))[:most]
    made = []
    for kind in usual:
        rows, values = held[kind], []
        for at in range(len(rows)):
            last = rows[max(0, at - _SMOOTHED_OVER + 1) : at + 1]
            values.append((rows[at][0], sum(s for _, _, s in last) / max(1, sum(n for _, n, _ in last))))
        made.append(FindSpeed(kind, kind_of(kind).label, tuple(values), shipped_speeds().of_find(kind)))
    return sorted(made, key=lambda one: -one.latest)


def against_plan(entries: Sequence[LogEntry]) -> list[AgainstPlan]:
    """Jobs that had a plan, the earliest first."""
    rows = [AgainstPlan(e.title, e.day, e.planned_s, e.real_s) for e in entries if e.planned and e.real_s]
    return sorted(rows, key=lambda row: row.day)


def earned(entries: Sequence[LogEntry]) -> list[Earned]:
    """Jobs with a price and time, the earliest first."""
    rows = [Earned(e.title, e.day, e.earned_cents, e.rate_cents) for e in entries if e.earned_cents is not None]
    return sorted(rows, key=lambda row: row.day)


def as_csv(entries: Sequence[LogEntry]) -> str:
    """One line a job; seconds whole, money with two decimals."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["date", "job", "client", "kind", "route", "planned_seconds", "real_seconds",
                     "against_plan_seconds", *(f"{stage}_seconds" for stage in STAGE_IDS), "around_seconds", "finds",
                     "gauges", "files", "price", "currency", "earned_an_hour", "demo"])
    for e in entries:
        earned_cents = e.earned_cents
        writer.writerow([
            e.day, _safe(e.title), _safe(e.client), e.kind, e.route, e.planned_s, e.real_s,
            "" if e.against_plan_s is None else e.against_plan_s, *(e.seconds.get(stage, 0) for stage in STAGE_IDS),
            sum(e.seconds.get(name, 0) for name in OUTSIDE), e.finds, e.gauge_state, len(e.deliveries),
            "" if e.price_cents is None else money(e.price_cents), e.currency,
            "" if earned_cents is None else money(earned_cents), int(e.demo),
        ])
    return out.getvalue()


def _safe(text: str) -> str:
    """A text that a spreadsheet takes for a formula gets an apostrophe before it."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t") else text
