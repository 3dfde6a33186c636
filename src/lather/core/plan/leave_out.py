"""What to leave out first when the time does not reach: the least seen per minute, and no more than is needed.

Choosing the set is a knapsack problem, solved exactly by dynamic programming over steps of time (Bellman 1957;
Kellerer, Pferschy and Pisinger, Knapsack Problems, 2004, section 2.3): leave out at least the time that is missing and
lose as little as can be.
"""

from collections.abc import Sequence
from dataclasses import dataclass

STEP_S = 6
"""Seconds are planned in steps of a tenth of a minute."""


@dataclass(frozen=True)
class Leavable:
    """Something that could be left out. visibility: how much it is seen; seconds: a multiple of STEP_S."""

    what: str
    stage_id: str
    seconds: int
    visibility: float
    kind: str = ""
    zone: str = ""
    finds: int = 0

    @property
    def per_minute(self) -> float:
        """How much is seen of it for each minute that it takes."""
        return 60 * self.visibility / max(1, self.seconds)


def in_order(items: Sequence[Leavable]) -> list[Leavable]:
    """The least visible per minute first."""
    return sorted((one for one in items if one.seconds > 0), key=lambda one: (one.per_minute, -one.seconds, one.what))


def least_seen(items: Sequence[Leavable], missing_s: int) -> list[Leavable]:
    """The items whose seconds reach `missing_s` and whose visibility is least in sum, least visible per minute first.

    All of them where even that is not enough; none where nothing is missing.
    """
    items = in_order(items)
    if missing_s <= 0:
        return []
    wanted = -(-missing_s // STEP_S)
    if sum(one.seconds for one in items) < missing_s:
        return items
    # best[t]: least visibility lost that frees at least t steps; taken[n][t]: whether item n is in it
    best = [0.0] + [float("inf")] * wanted
    taken = []
    for one in items:
        steps = -(-one.seconds // STEP_S)
        row = [False] * (wanted + 1)
        for t in range(wanted, 0, -1):
            lost = best[max(0, t - steps)] + one.visibility
            if lost < best[t] - 1e-12:
                best[t], row[t] = lost, True
        taken.append(row)
    chosen, t = [], wanted
    for one, row in zip(reversed(items), reversed(taken)):
        if t > 0 and row[t]:
            chosen.append(one)
            t = max(0, t - -(-one.seconds // STEP_S))
    return in_order(chosen)
