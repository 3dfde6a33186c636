"""What the person corrected of the parts that were read in a photo: strokes that say what is really there."""

from dataclasses import dataclass

import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.phrases import phrase

PART_NAMES = (
    "ground", "skin", "hair", "beard", "brows", "lips", "teeth", "mouth", "eye white", "iris", "cloth", "other",
)
"""What a stroke may say, in the order of the parsing network."""


@dataclass(frozen=True)
class PartStroke:
    """part: one of PART_NAMES. points: places in source px. width_px: across."""

    part: str
    points: tuple[tuple[float, float], ...]
    width_px: float

    def __post_init__(self):
        if self.part not in PART_NAMES:
            raise RequestError(phrase("There is no part “%1”; choose from %2.", self.part, ", ".join(PART_NAMES)))
        if not 0 < len(self.points) <= ranges.MOST_PART_POINTS:
            raise RequestError(phrase("A stroke over parts has 1 to %1 points.", f"{ranges.MOST_PART_POINTS:,}"))
        ranges.check_places(np.array(self.points, float), "A point of a stroke over parts")
        ranges.FIND_SIZE_PX.check(self.width_px, "The width of a stroke over parts")

    def to_json(self) -> dict:
        """Plain values, rounded to a tenth of a pixel."""
        return {"part": self.part, "points": [[round(x, 1), round(y, 1)] for x, y in self.points],
                "width_px": round(self.width_px, 1)}

    @classmethod
    def from_json(cls, data: dict) -> "PartStroke":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be one."""
        return cls(str(data["part"]), tuple((float(x), float(y)) for x, y in data["points"]), float(data["width_px"]))
