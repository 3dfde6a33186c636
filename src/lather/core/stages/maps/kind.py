"""A layer kind that changes each pixel by its coverage: dodge and burn, and (`stages.adjust`) adjustments."""

import hashlib
import json
from abc import abstractmethod
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import ClassVar

import numpy as np

from lather.core.brush.coverage import fenced
from lather.core.brush.growing import GrowingPlane
from lather.core.brush.stroke import TouchWalker, stamp, touches_bounds
from lather.core.job.model import Layer, Stroke, freeze_points
from lather.core.levels import halve
from lather.core.recent import Recent
from lather.core.stages.base import STILL, Finished, LayerKind, LiveEdit, Painting, Pixels, Step, Surroundings
from lather.core.stages.maps.store import NOTHING, Start, lay
from lather.core.stages.maps.through import coverage_through
from lather.core.stages.stores import Stores
from lather.core.types import EMPTY, EncodedRGB, Mask, Rect

Cover = Callable[[Rect, int], Mask]
_PLANES_KEPT = 256  # layers, each with one plane's strokes


class MapKind(LayerKind):
    """Gives each pixel `applied` at its coverage times the layer's strength. Subclasses give `id` and `applied`.

    method: goes up when the same coverage would give other pixels. Coverage lies in the photo's coordinates: above a
    displacement it is read through the field, so it moves with the form. planes: coverages that are kept apart; with
    more than one, coverage is (planes, h, w).
    """

    method = b""
    planes: ClassVar[tuple[str, ...]] = ("",)
    levels_within = 3e-3

    def __init__(self, stores: Stores | None = None):
        self.stores = stores or Stores()
        self.store = self.stores.coverage
        self._apart = Recent(_PLANES_KEPT)

    @abstractmethod
    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        """Pixels of a rectangle of a level at a coverage 0-1 (h, w), the layer's strength counted in: a new array.

        Where the coverage is 0 they stay as they are.
        """

    def applied_over(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect,
                     level: int, cover: Cover) -> EncodedRGB:
        """As `applied`, for kinds that ask for coverage elsewhere too: cover(rect, level), without strength."""
        return self.applied(around, layer, pixels, coverage, rect, level)

    def margin(self, layer: Layer) -> int:
        """Level-0 pixels around a place that `applied` looks at, through `around.below`."""
        return 0

    def near(self, layer: Layer) -> int:
        """Of these, those that it looks at in the very level that is shown; further off it may read a coarser one."""
        return self.margin(layer)

    def start(self, around: Surroundings, layer: Layer) -> Start:
        """Coverage before anything was painted."""
        return NOTHING

    def starts(self, layer: Layer) -> bool:
        """True if there may be coverage where nothing was painted."""
        return False

    def turned(self, layer: Layer) -> bool:
        """True if the layer acts where its coverage is not."""
        return False

    def planes_of(self, stroke: Stroke) -> tuple[str, ...]:
        """The planes that a stroke builds on, or takes from."""
        return self.planes

    def plane(self, layer: Layer, plane: str) -> Layer:
        """The layer with the strokes of one plane."""
        if len(self.planes) == 1:
            return layer
        key = (layer.id, plane)
        held = self._apart.get(key)
        if held is None or held[0] is not layer:
            edits = tuple(edit for edit in layer.edits if plane in self.planes_of(edit))
            held = (layer, replace(layer, id=f"{layer.id}/{plane}", edits=edits))
            self._apart.put(key, held)
        return held[1]

    # the protocol

    def needs(self, step: Step, rect: Rect) -> Rect:
        return rect.expand(self.margin(step.layer))

    def touches(self, step: Step, rect: Rect) -> bool:
        return self.starts(step.layer) or self.turned(step.layer) or self.store.touches(step.layer, rect)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        layer = step.layer
        said = f"{json.dumps(layer.settings, sort_keys=True)}|{self.start(around, layer).key}".encode()
        key = self.store.key(layer, around.warp.reads(rect).intersect(around.bounds))
        return hashlib.blake2b(self.method + said + key, digest_size=16).digest()

    def render(self, around: Surroundings, step: Step, rect: Rect, level: int) -> EncodedRGB:
        return self._laid_on(around, step, partial(self.coverage_of, around, step.layer), rect, level)

    def coverage_of(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> Mask:
        """Coverage of a rectangle of a level, as `applied` gets it but for the layer's strength."""
        start, covers = self.start(around, layer), []
        for plane in self.planes:
            one = self.plane(layer, plane)

            def read(part: Rect, at: int, one=one) -> Mask:
                return self.store.at_level(one, part, at, around.bounds, start)

            if one.edits or not start.empty:
                still = around.warp is STILL
                covers.append(read(rect, level) if still else coverage_through(around, read, rect, level))
            else:
                covers.append(np.zeros((rect.height, rect.width), np.float32))
        return self._which_way(layer, together(covers))

    def _which_way(self, layer: Layer, coverage: Mask) -> Mask:
        return 1 - coverage if self.turned(layer) else coverage

    def _laid_on(self, around: Surroundings, step: Step, cover: Cover, rect: Rect, level: int) -> EncodedRGB:
        coverage = cover(rect, level)
        part = self._where(coverage, rect)
        if part.empty:
            return around.below(rect, level)
        wide = part.expand(-(-self.near(step.layer) >> level)).intersect(around.bounds.at_level(level))
        near = Nearby(around.below, rect.union(wide), level)
        below = near(rect, level)
        inside = part.slices(rect)
        own = coverage[(..., *inside)] * np.float32(step.strength)
        laid = self.applied_over(replace(around, below=near), step.layer, np.ascontiguousarray(below[inside]), own,
                                 part, level, cover)
        if part == rect:
            return laid
        below[inside] = laid
        return below

    @staticmethod
    def _where(coverage: Mask, rect: Rect) -> Rect:
        """What of a rectangle is covered at all."""
        seen = coverage if coverage.ndim == 2 else coverage.max(0)
        rows, columns = seen.any(1), seen.any(0)
        if not rows.any():
            return EMPTY
        (y0, y1), (x0, x1) = ((way.argmax(), len(way) - way[::-1].argmax()) for way in (rows, columns))
        return Rect(rect.x0 + int(x0), rect.y0 + int(y0), rect.x0 + int(x1), rect.y0 + int(y1))

    def live(self, painting: Painting) -> LiveEdit:
        return LiveMap(self, painting)


class Nearby:
    """The picture beneath, read once as far around as is looked at: several kinds over each other would else read what
    lies under the lowest many times.
    """

    def __init__(self, below: Pixels, wide: Rect, level: int):
        self._below, self._wide, self._level = below, wide, level
        self._pixels: EncodedRGB | None = None

    def __call__(self, rect: Rect, level: int) -> EncodedRGB:
        if level != self._level or rect != rect.intersect(self._wide):
            return self._below(rect, level)
        if self._pixels is None:
            self._pixels = self._below(self._wide, level)
        return self._pixels[rect.slices(self._wide)].copy()


class LiveMap(LiveEdit):
    """One stroke in progress on a layer of maps: it only builds coverage."""

    def __init__(self, kind: MapKind, painting: Painting):
        self._kind, self._painting, self.stroke = kind, painting, painting.stroke
        self._bounds = painting.around.bounds
        layer = painting.step.layer
        self._before = replace(layer, edits=layer.edits[:-1])
        self._walker = TouchWalker(self.stroke.brush)
        self._own = GrowingPlane(self._bounds)
        self.laid = EMPTY

    def extend(self, points: np.ndarray, *, paint: bool = True) -> Rect:
        touches = self._walker.extend(points)
        dirty = touches_bounds(touches).intersect(self._bounds)
        if dirty.empty:
            return EMPTY
        stamp(self._own.over(dirty), *self._own.origin, touches, self.stroke.brush.edge)
        self.laid = self.laid.union(dirty)
        return self._painting.around.warp.spreads(dirty).intersect(self._bounds)

    def _coverage(self, rect: Rect, level: int, plane: str) -> Mask:
        """Of a plane, with the stroke, of a rectangle of a level, in the photo's coordinates."""
        kind, area = self._kind, rect.from_level(level).intersect(self._bounds)
        start, layer = kind.start(self._painting.around, self._before), kind.plane(self._before, plane)
        builds = plane in kind.planes_of(self.stroke)
        if not (builds or layer.edits or not start.empty):
            return np.zeros((rect.height, rect.width), np.float32)
        cover = kind.store.coverage(layer, area, self._bounds, start)
        if builds:
            own = fenced(self._own.cut(area), self.stroke, area)
            if self._before.fence is not None:
                own = own * self._before.fence.coverage(area)
            lay(cover, own, self.stroke)
        for _ in range(level):
            cover = halve(cover)
        return cover

    def coverage(self, rect: Rect, level: int) -> Mask:
        """With the stroke, as `MapKind.coverage_of` gives it without."""
        around, covers = self._painting.around, []
        for plane in self._kind.planes:
            if around.warp is STILL:
                covers.append(self._coverage(rect, level, plane))
            else:
                covers.append(coverage_through(around, partial(self._coverage, plane=plane), rect, level))
        return self._kind._which_way(self._before, together(covers))

    def pixels(self, rect: Rect, level: int) -> EncodedRGB:
        around, step = self._painting.around, self._painting.step
        return self._kind._laid_on(around, step, self.coverage, rect, level)

    def finish(self, points: np.ndarray) -> Finished:
        return Finished(replace(self.stroke, points=freeze_points(points)))


def together(covers: list[Mask]) -> Mask:
    """Coverages of all planes: (h, w) of one, (planes, h, w) of more."""
    return covers[0] if len(covers) == 1 else np.stack(covers)
