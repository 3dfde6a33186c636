"""Own speeds from the logbook: seconds per find and per area, from three delivered jobs on."""

from collections.abc import Iterable

from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.plan.plan import AROUND
from lather.core.record.entries import OUTSIDE, LogEntry

LEAST_JOBS = 3
LATEST_JOBS = 1000
"""Jobs that speeds are told from: one before them would count less than a 10^-30th."""
_HALF_LIFE = 10.0  # jobs after which one counts half: people get faster


def own_speeds(entries: Iterable[LogEntry], shipped: Speeds | None = None) -> Speeds:
    """Shipped speeds, with own ones where at least three delivered jobs say how fast the person is.

    Each is a ratio of sums (all seconds over all finds), later jobs counting more. Demo jobs never count.
    """
    shipped = shipped or shipped_speeds()
    done = sorted((e for e in entries if e.delivered_at and not e.demo and e.real_s > 0),
                  key=lambda e: e.delivered_at, reverse=True)
    if len(done) < LEAST_JOBS:
        return shipped
    finds, areas, around = _Ratios(), _Ratios(), _Ratios()
    for age, entry in enumerate(done):
        weight = 0.5 ** (age / _HALF_LIFE)
        by_kind: dict[str, list[int]] = {}
        for (_, kind), (count, seconds) in entry.spent.items():
            if kind:
                held = by_kind.setdefault(kind, [0, 0])
                held[0], held[1] = held[0] + count, held[1] + seconds
        for kind, (count, seconds) in by_kind.items():
            finds.add(kind, weight * seconds, weight * count)
        for stage, area in entry.areas.items():
            if area > 0:
                areas.add(stage, weight * max(0, entry.spent.get((stage, ""), (0, 0))[1]), weight * area)
        around.add(AROUND, weight * sum(entry.seconds.get(name, 0) for name in OUTSIDE), weight)
    return shipped.with_own(finds.known(), areas.known(), around.known().get(AROUND), len(done))


class _Ratios:
    def __init__(self):
        self._sums: dict[str, list[float]] = {}

    def add(self, name: str, seconds: float, amount: float) -> None:
        held = self._sums.setdefault(name, [0.0, 0.0, 0.0])
        for n, value in enumerate((seconds, amount, 1.0)):
            held[n] += value

    def known(self) -> dict[str, float]:
        """Those that enough jobs tell."""
        return {name: seconds / amount for name, (seconds, amount, jobs) in self._sums.items()
                if jobs >= LEAST_JOBS and amount > 0 and seconds > 0}
