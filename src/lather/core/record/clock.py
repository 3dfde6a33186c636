"""Time really worked, by stage, told from what the hands do: a gap of over a minute does not count.

Arithmetic only: times are seconds of any clock that never goes back. Whole seconds are handed out, what is left of one
is carried on, so that nothing is lost to rounding.
"""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

IDLE_S = 60.0
REST_AFTER_S, A_REST_S = 50 * 60.0, 5 * 60.0
_MOST_A_FIND_S = 300.0  # a find does not take longer: what is beyond went into something else


@dataclass(frozen=True)
class Span:
    """Seconds in a stage. kind, finds: what they were spent on, "" and 0 where on the whole. Handing seconds over from
    the whole to a find makes a pair of spans whose sum is 0.
    """

    stage: str
    seconds: int
    kind: str = ""
    finds: int = 0


class ActivityClock:
    """`seen(now)` at every sign of life. `rest_due` after 50 minutes without five of rest."""

    def __init__(self, stage: str = "mend"):
        self.stage, self.paused = stage, False
        self.rest_due = False
        self._last: float | None = None
        self._whole: list[Span] = []
        self._part: dict[str, float] = {}
        self._since_find: dict[str, float] = {}
        self._unrested = 0.0

    def seen(self, now: float) -> None:
        """A hand moved."""
        if self.paused:
            return
        gap = 0.0 if self._last is None else max(0.0, now - self._last)
        self._last = now
        if gap >= A_REST_S:
            self._unrested, self.rest_due = 0.0, False
        if gap > IDLE_S:
            return
        self._part[self.stage] = self._part.get(self.stage, 0.0) + gap
        self._since_find[self.stage] = self._since_find.get(self.stage, 0.0) + gap
        self._unrested += gap
        if self._unrested >= REST_AFTER_S:
            self.rest_due = True

    def rested(self) -> None:
        """The reminder was given; the next one comes after another 50 minutes."""
        self._unrested, self.rest_due = 0.0, False

    def enter(self, stage: str, now: float) -> None:
        """Another stage is taken in hand: what came before belongs to the last one."""
        self.seen(now)
        self.stage = stage
        self._since_find[stage] = 0.0

    def mended(self, kinds: Iterable[str], now: float) -> None:
        """Finds were mended: the seconds since the last one in this stage went into them."""
        self.seen(now)
        counts = Counter(kinds)
        total = sum(counts.values())
        if not total or self.paused:
            return
        held = min(self._since_find.pop(self.stage, 0.0), _MOST_A_FIND_S * total)
        for kind, count in counts.items():
            seconds = round(held * count / total)
            self._whole += [Span(self.stage, seconds, kind, count), Span(self.stage, -seconds)]

    def pause(self, now: float) -> None:
        """Count up to now, and no further until `go_on`."""
        self.seen(now)
        self.paused, self._last = True, None

    def go_on(self, now: float) -> None:
        """Count again from now."""
        self.paused, self._last = False, now

    def take(self) -> list[Span]:
        """What is to be written down since the last call."""
        spans, self._whole = self._whole, []
        for stage, part in self._part.items():
            if part >= 1:
                spans.append(Span(stage, int(part)))
                self._part[stage] = part - int(part)
        return spans
