"""What a row of the speed table is."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lather.bench.window import Bench

Measured = tuple[Sequence[float], float, tuple[str, float] | None]
"""Values, bytes touched (0: no memory to compare with), a general library that does the same (its name and value)."""


@dataclass(frozen=True)
class Row:
    """target: what the 95th percentile should stay under, in `unit`. measure(bench): on a photo opened afresh."""

    id: str
    target: float
    unit: str
    measure: Callable[["Bench"], Measured]
