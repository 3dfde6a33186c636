"""Painted coverage, tile by tile: it does not depend on the picture, so a mend beneath never works it out anew."""

import hashlib
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from lather.core.brush.coverage import stroke_coverage
from lather.core.job.model import Layer, Stroke
from lather.core.levels import halve
from lather.core.memory import Budget
from lather.core.recent import Recent
from lather.core.stages.patches.order import any_overlap
from lather.core.types import Mask, Rect, tile_rect, tiles_of

_LAYERS_KEPT = 128


TAKES_AWAY = ("give_back", "unmask")
"""Tools that take coverage away."""


class Start(Protocol):
    """Coverage before anything was painted. key: of its values, hashable. empty: it is 0 all over."""

    key: object
    empty: bool

    def read(self, rect: Rect, level: int) -> Mask:
        """Coverage 0-1 of a rectangle of a level: float32 (h, w), a new array."""


@dataclass(frozen=True)
class Constant:
    """The same all over."""

    value: float

    @property
    def key(self) -> object:
        """What coverage depends on."""
        return self.value

    @property
    def empty(self) -> bool:
        """True where nothing is covered."""
        return self.value == 0

    def read(self, rect: Rect, level: int) -> Mask:
        """Coverage of a rectangle, float32 (h, w)."""
        return np.full((rect.height, rect.width), self.value, np.float32)


NOTHING = Constant(0.0)


class CoverageStore:
    """Coverage of layers, float32 0-1, kept per tile of level 0.

    Strokes build as C ← 1 − (1 − C)(1 − c); those that give back take away as C ← C (1 − c).
    """

    def __init__(self, limit_bytes: int | None = None):
        limit = Budget.usual().share("maps") if limit_bytes is None else limit_bytes
        self._tiles = Recent(limit, lambda tile: tile.nbytes + 100)
        self._boxes = Recent(_LAYERS_KEPT)

    def _bounds_of(self, layer: Layer) -> np.ndarray:
        held = self._boxes.get(layer.id)
        if held is None or held[0] is not layer.edits:
            held = (layer.edits, np.array([edit.bounds for edit in layer.edits], np.int64).reshape(-1, 4))
            self._boxes.put(layer.id, held)
        return held[1]

    def touches(self, layer: Layer, rect: Rect) -> bool:
        """True if some stroke reaches a level-0 rectangle."""
        return any_overlap(self._bounds_of(layer), *rect)

    def _reaching(self, layer: Layer, rect: Rect) -> list[Stroke]:
        x0, y0, x1, y1 = self._bounds_of(layer).T
        over = (x0 < rect.x1) & (x1 > rect.x0) & (y0 < rect.y1) & (y1 > rect.y0)
        return [layer.edits[index] for index in np.flatnonzero(over)]

    def key(self, layer: Layer, rect: Rect) -> bytes:
        """Hash of what is painted in a level-0 rectangle."""
        h = hashlib.blake2b(digest_size=16)
        for stroke in self._reaching(layer, rect):
            h.update(stroke.digest)
        if layer.fence is not None:
            h.update(f"{layer.fence}".encode())
        return h.digest()

    def coverage(self, layer: Layer, rect: Rect, bounds: Rect, start: Start = NOTHING) -> Mask:
        """Coverage of a level-0 rectangle inside the picture."""
        out = np.empty((rect.height, rect.width), np.float32)
        for column, row in tiles_of(rect):
            tile = tile_rect(column, row, bounds.x1, bounds.y1)
            part = tile.intersect(rect)
            out[part.slices(rect)] = self._tile(layer, tile, start)[part.slices(tile)]
        return out

    def _tile(self, layer: Layer, tile: Rect, start: Start) -> Mask:
        key = (self.key(layer, tile), tile, start.key)
        held = self._tiles.get(key)
        if held is None:
            held = painted(layer, self._reaching(layer, tile), tile, start)
            held.setflags(write=False)
            self._tiles.put(key, held)
        return held

    def at_level(self, layer: Layer, rect: Rect, level: int, bounds: Rect, start: Start = NOTHING) -> Mask:
        """Coverage of a rectangle of a level: the mean of the pixels beneath."""
        area = rect.from_level(level).intersect(bounds)
        if layer.fence is None and not self.touches(layer, area):
            return start.read(rect, level)
        cover = self.coverage(layer, area, bounds, start)
        for _ in range(level):
            cover = halve(cover[..., None])[..., 0]
        return cover


def painted(layer: Layer, strokes: list[Stroke], rect: Rect, start: Start) -> Mask:
    """What some strokes of a layer build in a rectangle, inside the layer's fence."""
    fence = np.float32(1) if layer.fence is None else layer.fence.coverage(rect)
    cover = start.read(rect, 0) * fence
    for stroke in strokes:
        lay(cover, stroke_coverage(stroke, rect) * fence, stroke)
    return cover


def lay(cover: Mask, more: Mask, stroke: Stroke) -> None:
    """Let a stroke build on coverage, in place."""
    cover *= 1 - more
    if stroke.tool not in TAKES_AWAY:
        cover += more
