"""Every value a job may hold, in one place: ranges, and how much of everything. docs/job.schema.json says the same."""

import re
from dataclasses import dataclass

from lather.core.errors import RequestError


@dataclass(frozen=True)
class Range:
    """Values from `low` to `high`, both allowed; nan is in no range."""

    low: float
    high: float
    unit: str = ""

    def __contains__(self, value: float) -> bool:
        return self.low <= value <= self.high

    def hold(self, value: float) -> float:
        """The value, or the nearest one inside."""
        return min(self.high, max(self.low, value))

    def check(self, value: float, what: str) -> None:
        """Raises RequestError that names `what` for a value outside."""
        if value not in self:
            unit = f" {self.unit}" if self.unit else ""
            told = f"{value:g}" if abs(value) < 1e300 else "more than any number"
            raise RequestError(f"{what} of {told}{unit} is outside {self.low:g} to {self.high:g}{unit}.")


SHARE = Range(0.0, 1.0)
PLACE_PX = Range(-1e6, 1e6, "px")
"""Places on a photo; an outline or a stroke may well leave it."""
OFFSET_PX = Range(-1e6, 1e6, "px")
SECONDS = Range(0.0, 1e6, "s")
BRUSH_SIZE_PX = Range(1.0, 2000.0, "px")
BRUSH_FLOW = BRUSH_CEILING = Range(0.0001, 1.0)
FEATHER_PX = Range(0.0, 2000.0, "px")
TURN_SCALE = Range(0.1, 10.0)
TURN_DEG = Range(-3600.0, 3600.0, "°")
FIND_SIZE_PX = Range(0.0, 20_000.0, "px")
FIND_CONTRAST_DE = Range(0.0, 200.0, "ΔE")
SPLIT_WIDTH_PX = Range(0.5, 200.0, "px")
GRAIN_AMOUNT = Range(0.0, 10.0)
GRAIN_SIZE_PX = Range(0.0, 20.0, "px")
GRAIN_LEVEL_PERCENT = Range(0.0, 50.0, "%")
ORDER = Range(0, 10_000_000)
EYE_DISTANCE_PX = Range(2.0, 1e5, "px")
DELIVERED_PX = Range(1, 1_000_000, "px")
DELIVERED_MM = Range(1.0, 100_000.0, "mm")

MOST_EDITS = 50_000
MOST_LAYERS = 1_000
MOST_STEPS = 20_000
MOST_FINDS = 20_000
MOST_FACES = 100
MOST_PART_STROKES, MOST_PART_POINTS = 2_000, 5_000
MOST_POINTS = 20_000_000
MOST_CORNERS = 100_000
"""Corners of one outline, path or fence."""
MOST_TOUCHES = 500_000
"""Touches of one stroke: its way by its brush, and what holding still adds."""
MOST_NESTING = 50
"""Levels of what is kept though nothing here knows it."""
MOST_JSON_BYTES = 32 * 1024**2
MOST_HISTORY_BYTES = 64 * 1024**2

ID = re.compile(r"[A-Za-z0-9_-]{1,64}")
"""Ids of edits and jobs name files, so they hold nothing that a path could be made of."""


def check_places(values, what: str, range_: Range = PLACE_PX) -> None:
    """Raises RequestError if a number of an array-like lies outside, or is none."""
    low, high = values.min(initial=0.0), values.max(initial=0.0)
    for value in (low, high):
        range_.check(float(value), what)
