"""A plane of values over part of the picture, that grows to where it is used: a stroke pays for where it has been."""

import numpy as np

from lather.core.types import EMPTY, Rect

_ROOM_PX = 1280  # more than is asked for on every side: memory that nobody touches costs nothing, growing does


class GrowingPlane:
    """float32 (h, w) or (h, w, channels), 0 where nothing was written. `rect`: what of the picture it holds."""

    def __init__(self, bounds: Rect, channels: int = 0):
        self._bounds, self._channels = bounds, channels
        self.rect = self.used = EMPTY
        self.values = self._zeros(EMPTY)

    @property
    def origin(self) -> tuple[int, int]:
        """x, y of its first pixel."""
        return self.rect.x0, self.rect.y0

    def _zeros(self, rect: Rect) -> np.ndarray:
        shape = (rect.height, rect.width)
        return np.zeros((*shape, self._channels) if self._channels else shape, np.float32)

    def over(self, rect: Rect) -> np.ndarray:
        """All of the plane, grown so that it holds a rectangle of the picture, in which something will be written."""
        if not self.rect.contains(rect):
            whole = self.rect.union(rect.expand(_ROOM_PX).intersect(self._bounds))
            grown = self._zeros(whole)
            if not self.used.empty:
                grown[self.used.slices(whole)] = self.values[self.used.slices(self.rect)]
            self.rect, self.values = whole, grown
        self.used = self.used.union(rect)
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
