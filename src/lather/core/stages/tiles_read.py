"""What lies beneath a stroke in progress, read as far as the stroke comes."""

import threading

import numpy as np

from lather.core.brush.growing import GrowingPlane
from lather.core.types import TILE, EncodedRGB, Rect, tile_rect, tiles_of


class TilesRead:
    """A plane that is read tile by tile, each tile once."""

    def __init__(self, bounds: Rect, read):
        self._bounds, self._read = bounds, read
        self._plane = GrowingPlane(bounds, 3)
        self._known: set[tuple[int, int]] = set()
        self._lock = threading.RLock()  # a picture is worked in two halves, and one may make the plane grow

    def view(self, rect: Rect) -> EncodedRGB:
        """The pixels of a rectangle; what is written into them stays, until the plane grows."""
        with self._lock:
            for column, row in tiles_of(rect):
                if (column, row) not in self._known:
                    tile = tile_rect(column, row, self._bounds.x1, self._bounds.y1)
                    values = self._read(tile)
                    self._plane.view(tile)[:] = values
                    self._known.add((column, row))
            return self._plane.view(rect)

    def peek(self, rect: Rect) -> EncodedRGB:
        """What is there, 0 where nothing was read."""
        return self._plane.cut(rect)

    def read_in(self, rect: Rect) -> np.ndarray:
        """True where tiles have been read, (h, w)."""
        known = np.zeros((rect.height, rect.width), bool)
        for column, row in tiles_of(rect):
            if (column, row) in self._known:
                tile = Rect(column * TILE, row * TILE, (column + 1) * TILE, (row + 1) * TILE)
                known[tile.intersect(rect).slices(rect)] = True
        return known
