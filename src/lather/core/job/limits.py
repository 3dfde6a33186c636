"""Limits by kind of job, from one data file that gives the reason for each."""

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from lather.core.errors import RequestError
from lather.core.phrases import phrase, worded

FILE = Path(__file__).parents[1] / "data" / "limits.json"
USUAL_KIND = "natural portrait"


@dataclass(frozen=True)
class Band:
    """Allowed values of a gauge, and why."""

    low: float
    high: float
    why: str

    def __post_init__(self):
        worded(self, "why")

    def state(self, value: float) -> str:
        """low, high, or "" inside the band."""
        return "low" if value < self.low else "high" if value > self.high else ""


@cache
def _limits() -> dict:
    return json.loads(FILE.read_text())


def job_kinds() -> tuple[str, ...]:
    """All kinds of job that limits are given for."""
    return tuple(_limits())


def job_kind_named(text: str) -> str:
    """The kind of job meant by its name or the beginning of it. Raises RequestError for any other text."""
    kinds = [kind for kind in job_kinds() if kind.startswith(text.lower())] if text else []
    if len(kinds) != 1:
        raise RequestError(phrase("There is no kind of job “%1”; choose from %2.", text, ", ".join(job_kinds())))
    return kinds[0]


def band(job_kind: str | None, gauge: str) -> Band:
    """Limit band of a gauge; kinds of job without one of their own take that of a natural portrait."""
    table = _limits().get(job_kind or USUAL_KIND) or _limits()[USUAL_KIND]
    low, high, why = table.get(gauge) or _limits()[USUAL_KIND][gauge]
    return Band(float(low), float(high), why)
