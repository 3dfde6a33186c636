"""A plane of values over part of the picture, that grows to where it is used: a stroke pays for where it has been."""

import numpy as np

from lather.core.types import EMPTY, TILE, Rect

_MORE = 0.5  # of its own size that it grows by at least, so that a long stroke copies it a few times only


class GrowingPlane:
    """float32 (h, w) or (h, w, channels), 0 where nothing was written. `rect`: what of the picture it holds."""

    def __init__(self, bounds: Rect, channels: int = 0):
        self._bounds, self._channels = bounds, channels
        self.rect = EMPTY
        self.values = self._zeros(EMPTY)

    @property
    def origin(self) -> tuple[int, int]:
        """x, y of its first pixel."""
        return self.rect.x0, self.rect.y0

    def _zeros(self, rect: Rect) -> np.ndarray:
        shape = (rect.height, rect.width)
        return np.zeros((*shape, self._channels) if self._channels else shape, np.float32)

    def over(self, rect: Rect) -> np.ndarray:
        """All of the plane, grown so that it holds a rectangle of the picture."""
        if not self.rect.contains(rect):
            wanted = self.rect.union(rect)
            more = [int(_MORE * n) for n in (self.rect.width, self.rect.height)]
            x0 = wanted.x0 - more[0] * (rect.x0 < self.rect.x0)
            y0 = wanted.y0 - more[1] * (rect.y0 < self.rect.y0)
            x1 = wanted.x1 + more[0] * (rect.x1 > self.rect.x1)
            y1 = wanted.y1 + more[1] * (rect.y1 > self.rect.y1)
            whole = Rect(x0 // TILE * TILE, y0 // TILE * TILE, -(-x1 // TILE) * TILE, -(-y1 // TILE) * TILE)
            whole = whole.intersect(self._bounds)
            grown = self._zeros(whole)
            if not self.rect.empty:
                grown[self.rect.slices(whole)] = self.values
            self.rect, self.values = whole, grown
        return self.values

    def view(self, rect: Rect) -> np.ndarray:
        """The values of a rectangle inside the picture, to be read and written."""
        return self.over(rect)[rect.slices(self.rect)]

    def cut(self, rect: Rect) -> np.ndarray:
        """The values of a rectangle, 0 where nothing was written; not to be written into."""
        inside = rect.intersect(self.rect)
        if inside == rect:
            return self.values[rect.slices(self.rect)]
        out = self._zeros(rect)
        if not inside.empty:
            out[inside.slices(rect)] = self.values[inside.slices(self.rect)]
        return out
