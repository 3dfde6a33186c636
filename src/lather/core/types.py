"""Rectangles, levels and the pixel types whose names say their value range."""

from typing import NamedTuple

import numpy as np

_Array = np.ndarray

EncodedRGB = _Array
"""float32 (h, w, 3), 0-1, in the photo's own profile encoding (display-referred)."""

LinearRGB = _Array
"""float32 (h, w, 3), linear light, 0-1."""

Lab = _Array
"""float32 (h, w, 3), CIE L*a*b* under D50: L* 0-100, a* and b* about -128 to 127."""

Mask = _Array
"""float32 (h, w), coverage 0-1."""

TILE = 256
"""Side of a tile in pixels, at every level."""


class Rect(NamedTuple):
    """Half-open pixel rectangle: x0 <= x < x1, y0 <= y < y1."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def width(self) -> int:
        """Never under 0."""
        return max(0, self.x1 - self.x0)

    @property
    def height(self) -> int:
        """Never under 0."""
        return max(0, self.y1 - self.y0)

    @property
    def empty(self) -> bool:
        """True if no pixel lies in it."""
        return self.x1 <= self.x0 or self.y1 <= self.y0

    def intersect(self, other: "Rect") -> "Rect":
        """What lies in both; it may be empty."""
        return Rect(max(self.x0, other.x0), max(self.y0, other.y0), min(self.x1, other.x1), min(self.y1, other.y1))

    def union(self, other: "Rect") -> "Rect":
        """Smallest rectangle that holds both; an empty one adds nothing."""
        if self.empty:
            return other
        if other.empty:
            return self
        return Rect(min(self.x0, other.x0), min(self.y0, other.y0), max(self.x1, other.x1), max(self.y1, other.y1))

    def expand(self, margin: int) -> "Rect":
        """A margin more on every side."""
        return Rect(self.x0 - margin, self.y0 - margin, self.x1 + margin, self.y1 + margin)

    def shift(self, dx: int, dy: int) -> "Rect":
        """Moved by whole pixels."""
        return Rect(self.x0 + dx, self.y0 + dy, self.x1 + dx, self.y1 + dy)

    def contains(self, other: "Rect") -> bool:
        """True if all of the other lies in it."""
        return self.x0 <= other.x0 and self.y0 <= other.y0 and self.x1 >= other.x1 and self.y1 >= other.y1

    def slices(self, origin: "Rect") -> tuple[slice, slice]:
        """Index of this rectangle inside an array whose top-left pixel is `origin`'s."""
        return (
            slice(self.y0 - origin.y0, self.y1 - origin.y0),
            slice(self.x0 - origin.x0, self.x1 - origin.x0),
        )

    def at_level(self, level: int) -> "Rect":
        """The pixels of `level` that this level-0 rectangle reaches."""
        step = 1 << level
        return Rect(self.x0 // step, self.y0 // step, -(-self.x1 // step), -(-self.y1 // step))

    def from_level(self, level: int) -> "Rect":
        """The level-0 rectangle that this rectangle of `level` covers."""
        return Rect(self.x0 << level, self.y0 << level, self.x1 << level, self.y1 << level)


EMPTY = Rect(0, 0, 0, 0)


def level_size(width: int, height: int, level: int) -> tuple[int, int]:
    """Width and height of a picture at a level; odd sizes round up."""
    for _ in range(level):
        width, height = (width + 1) // 2, (height + 1) // 2
    return width, height


def as_float32(values: np.ndarray) -> np.ndarray:
    """The one rule for working values: 8- and 16-bit integers become 0-1, floats become float32."""
    top = {np.uint8: 255, np.uint16: 65535}.get(values.dtype.type)
    if top is not None:
        return np.multiply(values, np.float32(1 / top), dtype=np.float32)
    return np.asarray(values, np.float32)


def tiles_of(rect: Rect) -> list[tuple[int, int]]:
    """(column, row) of every tile that a rectangle of the same level reaches."""
    if rect.empty:
        return []
    columns = range(rect.x0 // TILE, (rect.x1 - 1) // TILE + 1)
    rows = range(rect.y0 // TILE, (rect.y1 - 1) // TILE + 1)
    return [(column, row) for row in rows for column in columns]


def tile_rect(column: int, row: int, width: int, height: int) -> Rect:
    """Rectangle of a tile, cut at the picture's border (sizes are those of the tile's level)."""
    return Rect(column * TILE, row * TILE, min((column + 1) * TILE, width), min((row + 1) * TILE, height))
