"""What is worth mending at the delivered size, and what will not show."""

from dataclasses import dataclass, replace

import numpy as np

from lather.core.errors import RequestError
from lather.core.job.finds import Find
from lather.core.phrases import phrase

_LEAST_SCREEN_PX = 1.5
_ARC_MINUTE = np.radians(1 / 60)
_JUST_NOTICEABLE_DE = 1.0
_SMALL_LOSS = 2.0  # how fast the threshold rises when a flaw comes down to the least size


@dataclass(frozen=True)
class Delivery:
    """How the picture will be seen. medium: screen or print.

    screen: long_edge_px delivered (None: full size). print: long_edge_mm and viewing distance_mm.
    """

    medium: str = "screen"
    long_edge_px: int | None = None
    long_edge_mm: float = 300.0
    distance_mm: float = 400.0

    def __post_init__(self):
        if self.medium not in ("screen", "print"):
            raise RequestError(phrase("“%1” is no way to deliver; choose screen or print.", self.medium))
        if self.long_edge_mm <= 0 or self.distance_mm <= 0 or (self.long_edge_px is not None and self.long_edge_px < 1):
            raise RequestError("Delivered sizes and viewing distances are above 0.")

    def least_px(self, photo_long_edge_px: int) -> float:
        """Source pixels across which a flaw must be to be seen at all."""
        if self.medium == "print":
            return float(_ARC_MINUTE * self.distance_mm / (self.long_edge_mm / photo_long_edge_px))
        scale = min(1.0, (self.long_edge_px or photo_long_edge_px) / photo_long_edge_px)
        return _LEAST_SCREEN_PX / scale

    def to_json(self) -> dict:
        """Plain values, for the job sheet."""
        return {
            "medium": self.medium,
            "long_edge_px": self.long_edge_px,
            "long_edge_mm": self.long_edge_mm,
            "distance_mm": self.distance_mm,
        }

    @classmethod
    def from_json(cls, data: dict | None) -> "Delivery":
        """Inverse of `to_json`; usual values where nothing was written. Raises RequestError."""
        data = data or {}
        return cls(
            str(data.get("medium", "screen")),
            data.get("long_edge_px"),
            float(data.get("long_edge_mm", 300)),
            float(data.get("distance_mm", 400)),
        )


def threshold_de(times_least: float) -> float:
    """Contrast (ΔE00) needed at a size given in least visible sizes: 1 for wide flaws, more as they get smaller.

    Spatial summation: below a few least sizes the eye adds up contrast over the area (Ricco's law), so that the
    threshold goes with 1 / area.
    """
    return _JUST_NOTICEABLE_DE * (1 + _SMALL_LOSS / max(times_least, 1e-3) ** 2)


def will_show(find: Find, delivery: Delivery, photo_long_edge_px: int) -> bool:
    """True if the find is at least the least visible size and its contrast passes the threshold there."""
    across = find.width_px if find.width_px is not None else find.size_px
    times = across / delivery.least_px(photo_long_edge_px)
    if find.path is not None:  # a line is seen when narrower than a spot could be (vernier acuity)
        times *= 3
    return bool(times >= 1 and find.contrast_de >= threshold_de(times))


def judged(finds, delivery: Delivery, photo_long_edge_px: int) -> tuple[Find, ...]:
    """The finds with `worth` set for a delivery, most visible first."""
    found = [replace(f, worth=will_show(f, delivery, photo_long_edge_px)) for f in finds]
    return tuple(sorted(found, key=lambda f: (not f.worth, -f.visibility)))
