"""From a place painted to the place taken from: a shift, or a shift with mirror, turn and scale about a pivot."""

from dataclasses import dataclass, field

import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.job.unknown_fields import kept
from lather.core.types import Rect


@dataclass(frozen=True)
class SourceTurn:
    """The source as it is laid down: mirrored left-right, then turned (degrees, clockwise as seen) and enlarged.

    pivot: place painted (source px) that the plain shift takes to its source; all else turns around it.
    """

    mirror: bool = False
    rotation_deg: float = 0.0
    scale: float = 1.0
    pivot: tuple[float, float] = (0.0, 0.0)
    extra: dict = field(default_factory=dict, repr=False, hash=False)

    def __post_init__(self):
        ranges.TURN_SCALE.check(self.scale, "A source's enlargement")
        ranges.TURN_DEG.check(self.rotation_deg, "A source's turn")
        for value in self.pivot:
            ranges.PLACE_PX.check(value, "A pivot")

    @property
    def plain(self) -> bool:
        """True if it changes nothing."""
        return not self.mirror and self.rotation_deg % 360 == 0 and self.scale == 1

    def matrix(self) -> np.ndarray:
        """(2, 2): direction at the place painted to direction at the source."""
        angle = np.radians(self.rotation_deg)
        c, s = np.cos(angle), np.sin(angle)
        back = np.array([[c, s], [-s, c]]) / self.scale
        return np.diag([-1.0 if self.mirror else 1.0, 1.0]) @ back

    def to_json(self) -> dict:
        """Plain values; fields of a newer version go along."""
        return self.extra | {
            "mirror": self.mirror,
            "rotation_deg": self.rotation_deg,
            "scale": self.scale,
            "pivot": list(self.pivot),
        }

    @classmethod
    def from_json(cls, data: dict) -> "SourceTurn":
        """Inverse of `to_json`. Raises TypeError, ValueError or RequestError for what cannot be."""
        x, y = data.get("pivot", (0, 0))
        return cls(
            bool(data.get("mirror", False)),
            float(data.get("rotation_deg", 0)),
            float(data.get("scale", 1)),
            (float(x), float(y)),
            kept(data, "mirror", "rotation_deg", "scale", "pivot"),
        )


def affine(offset: tuple[int, int], turn: SourceTurn | None) -> np.ndarray:
    """(2, 3) matrix from places painted to places taken from."""
    if turn is None or turn.plain:
        return np.array([[1.0, 0.0, offset[0]], [0.0, 1.0, offset[1]]])
    matrix, pivot = turn.matrix(), np.array(turn.pivot)
    return np.column_stack([matrix, pivot + offset - matrix @ pivot])


def source_rect(rect: Rect, offset: tuple[int, int], turn: SourceTurn | None) -> Rect:
    """Pixels that are read to fill `rect`; may lie partly outside the picture."""
    if turn is None or turn.plain:
        return rect.shift(*offset)
    corners = np.array([[x, y, 1] for x in (rect.x0, rect.x1) for y in (rect.y0, rect.y1)], float)
    moved = corners @ affine(offset, turn).T
    low, high = np.floor(moved.min(0)).astype(int) - 2, np.ceil(moved.max(0)).astype(int) + 2
    return Rect(int(low[0]), int(low[1]), int(high[0]), int(high[1]))


def turn_from_landmarks(
    source: tuple[tuple[float, float], tuple[float, float]],
    place: tuple[tuple[float, float], tuple[float, float]],
    *,
    mirror: bool = False,
) -> tuple[tuple[int, int], SourceTurn]:
    """Offset and turn that bring two landmarks of the source onto two of the place. Raises RequestError."""
    a, b = (np.array(p, float) for p in source)
    p, q = (np.array(v, float) for v in place)
    from_way, to_way = b - a, q - p
    if min(np.hypot(*from_way), np.hypot(*to_way)) < 2:
        raise RequestError("The two landmarks lie on one spot; draw a line between two places.")
    if mirror:
        from_way = from_way * [-1, 1]
    angle = np.degrees(np.arctan2(to_way[1], to_way[0]) - np.arctan2(from_way[1], from_way[0]))
    scale = float(np.clip(np.hypot(*to_way) / np.hypot(*from_way), 0.1, 10))
    offset = (round(float(a[0] - p[0])), round(float(a[1] - p[1])))
    return offset, SourceTurn(mirror, float((angle + 180) % 360 - 180), scale, (float(p[0]), float(p[1])))
