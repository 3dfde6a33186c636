"""How fast somebody works: seconds per find by kind, and per area by stage. Shipped values until there are own ones."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

FILE = Path(__file__).parents[1] / "data" / "speeds.json"
_UNKNOWN_S = 15.0  # a find of a kind that is not in the file


@dataclass(frozen=True)
class Speeds:
    """finds: {kind: seconds each}. areas: {stage: seconds for an area of the face's width squared}. around: seconds a
    job for brief, review and delivery. own: which of them (kind, stage or "around") come from the person's own logbook.
    jobs: how many logged jobs they come from.
    """

    finds: Mapping[str, float] = field(default_factory=dict)
    areas: Mapping[str, float] = field(default_factory=dict)
    around: float = 240.0
    own: frozenset[str] = frozenset()
    jobs: int = 0

    def of_find(self, kind: str) -> float:
        """Seconds for one find of a kind."""
        return float(self.finds.get(kind, _UNKNOWN_S))

    def of_area(self, stage_id: str) -> float:
        """Seconds for a square of the face's width, in a stage."""
        return float(self.areas.get(stage_id, 0.0))

    def with_own(self, finds: Mapping[str, float], areas: Mapping[str, float], around: float | None,
                 jobs: int) -> "Speeds":
        """The person's own values over these."""
        own = frozenset((*finds, *areas, *(("around",) if around is not None else ())))
        return Speeds({**self.finds, **finds}, {**self.areas, **areas}, self.around if around is None else around, own,
                      jobs)


@cache
def shipped_speeds() -> Speeds:
    """Those that hold until somebody has own ones."""
    data = json.loads(FILE.read_text())
    return Speeds(data["finds"], data["areas"], float(data["around"]))
