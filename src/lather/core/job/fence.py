"""A fence: an area that confines strokes, as polygons with a feather. Values only."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from lather.core import ranges
from lather.core.brush.outline import polygon_coverage
from lather.core.errors import RequestError
from lather.core.job.unknown_fields import kept
from lather.core.phrases import phrase
from lather.core.types import Mask, Rect


@dataclass(frozen=True)
class Fence:
    """rings: polygons in source px, even-odd (a ring inside a ring is a hole). feather_px: inwards from the rim."""

    rings: tuple[tuple[tuple[float, float], ...], ...]
    feather_px: float = 4.0
    extra: dict = field(default_factory=dict, repr=False, hash=False)

    @cached_property
    def bounds(self) -> Rect:
        """Pixels that any of it reaches; empty without corners."""
        points = np.array([p for ring in self.rings for p in ring], float).reshape(-1, 2)
        if not len(points):
            return Rect(0, 0, 0, 0)
        low, high = np.floor(points.min(0)).astype(int), np.ceil(points.max(0)).astype(int)
        return Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)

    def reaches(self, x: float, y: float, radius: float) -> bool:
        """True if a touch at (x, y) comes inside."""
        box = self.bounds
        if not (box.x0 - radius < x < box.x1 + radius and box.y0 - radius < y < box.y1 + radius):
            return False
        side = min(63, int(2 * radius) | 1)  # looked at in a grid: an area is told from its hole
        step = max(1.0, 2 * radius / side)
        at = (np.arange(side) - side // 2) * step
        ys, xs = np.meshgrid(y + at, x + at, indexing="ij")
        near = np.hypot(xs - x, ys - y) < radius
        return bool(self._inside(xs[near], ys[near]).any())

    def _inside(self, xs: np.ndarray, ys: np.ndarray) -> np.ndarray:
        """Even-odd rule for places (n,)."""
        inside = np.zeros(len(xs), bool)
        for ring in self.rings:
            corners = np.array(ring, float)
            for (ax, ay), (bx, by) in zip(corners, np.roll(corners, -1, axis=0)):
                if ay != by:
                    inside ^= ((ay > ys) != (by > ys)) & (xs < (bx - ax) * (ys - ay) / (by - ay) + ax)
        return inside

    def coverage(self, rect: Rect) -> Mask:
        """Coverage 0-1 of a rectangle, float32 (h, w); 0 outside the fence."""
        return polygon_coverage(self.rings, rect, self.feather_px)

    def to_json(self) -> dict:
        """Plain values, rounded to a hundredth of a pixel."""
        return self.extra | {
            "rings": [[[round(x, 2), round(y, 2)] for x, y in ring] for ring in self.rings],
            "feather_px": self.feather_px,
        }

    @classmethod
    def from_json(cls, data: dict) -> "Fence":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be a fence."""
        fence = cls(
            tuple(tuple((float(x), float(y)) for x, y in ring) for ring in data["rings"]),
            float(data.get("feather_px", 4.0)), kept(data, "rings", "feather_px"),
        )
        ranges.FEATHER_PX.check(fence.feather_px, "A feather")
        corners = np.array([place for ring in fence.rings for place in ring], float)
        if len(corners) > ranges.MOST_CORNERS:
            raise RequestError(phrase("A fence of %1 corners is over %2.", f"{len(corners):,}",
                                      f"{ranges.MOST_CORNERS:,}"))
        ranges.check_places(corners, "A corner")
        return fence
