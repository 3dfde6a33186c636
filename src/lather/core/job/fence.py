"""A fence: an area that confines strokes, as polygons with a feather. Values only."""

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from lather.core import ranges
from lather.core.brush.outline import polygon_coverage
from lather.core.errors import RequestError
from lather.core.job.unknown_fields import kept
from lather.core.phrases import phrase
from lather.core.types import Mask, Rect

_SEEN_PX = 15.0  # radius at which a touch is looked at
_CLIP_ROOM_PX = 4


@dataclass(frozen=True)
class Fence:
    """rings: polygons in source px, even-odd (a ring inside a ring is a hole). feather_px: inwards from the rim."""

    rings: tuple[tuple[tuple[float, float], ...], ...]
    feather_px: float = 4.0
    extra: dict = field(default_factory=dict, repr=False, hash=False)

    @property
    def corners(self) -> int:
        """How many corners its rings have."""
        return sum(len(ring) for ring in self.rings)

    @cached_property
    def _arrays(self) -> list[np.ndarray]:
        """Corners (n, 2) of each ring: asked at every touch of a stroke."""
        return [np.array(ring, float).reshape(-1, 2) for ring in self.rings]

    @cached_property
    def bounds(self) -> Rect:
        """Pixels that any of it reaches; empty without corners."""
        if not self.corners:
            return Rect(0, 0, 0, 0)
        points = np.concatenate(self._arrays)
        low, high = np.floor(points.min(0)).astype(int), np.ceil(points.max(0)).astype(int)
        return Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)

    def reaches(self, x: float, y: float, radius: float) -> bool:
        """True if a touch at (x, y) comes inside."""
        box = self.bounds
        if not (box.x0 - radius < x < box.x1 + radius and box.y0 - radius < y < box.y1 + radius):
            return False
        scale = _SEEN_PX / max(radius, 0.5)  # looked at as large as that: an area is told from its hole
        rect = Rect(*(int(np.floor(v)) for v in (scale * x - _SEEN_PX, scale * y - _SEEN_PX,
                                                 scale * x + _SEEN_PX + 1, scale * y + _SEEN_PX + 1)))
        near = Rect(int(x - radius) - 2, int(y - radius) - 2, int(x + radius) + 3, int(y + radius) + 3)
        inside = polygon_coverage([scale * ring for ring in self._clipped_to(near)], rect, 0.0)
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
        return bool((inside[np.hypot(xs - scale * x, ys - scale * y) < _SEEN_PX] > 0.5).any())

    def clipped(self, rect: Rect) -> "Fence":
        """The same inside a rectangle and its feather around it; further off it says nothing."""
        rings = self._clipped_to(rect.expand(int(np.ceil(self.feather_px)) + _CLIP_ROOM_PX))
        return replace(self, rings=tuple(tuple((float(x), float(y)) for x, y in ring) for ring in rings))

    def _clipped_to(self, rect: Rect) -> list[np.ndarray]:
        return [ring for ring in (_clipped(one, rect) for one in self._arrays) if len(ring) > 2]

    def coverage(self, rect: Rect) -> Mask:
        """Coverage 0-1 of a rectangle, float32 (h, w); 0 outside the fence."""
        return polygon_coverage(self._arrays, rect, self.feather_px)

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


def _clipped(ring: np.ndarray, rect: Rect) -> np.ndarray:
    """Corners (n, 2) of a polygon inside a rectangle (Sutherland and Hodgman 1974); none where it lies outside."""
    for axis, limit, sign in ((0, rect.x0, 1), (0, rect.x1, -1), (1, rect.y0, 1), (1, rect.y1, -1)):
        if not len(ring):
            break
        off = sign * (ring[:, axis] - limit)
        if (off >= 0).all():
            continue
        after = np.roll(ring, -1, axis=0)
        off_after = np.roll(off, -1)
        crosses = (off >= 0) != (off_after >= 0)
        share = np.where(crosses, off / np.where(crosses, off - off_after, 1.0), 0.0)
        cut = ring + share[:, None] * (after - ring)
        both = np.stack([ring, cut], 1).reshape(-1, 2)
        ring = both[np.stack([off >= 0, crosses], 1).reshape(-1)]
    return ring
