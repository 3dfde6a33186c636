"""The engine: pixels and fingerprints of a job at any stage, level and rectangle.

Pure towards the outside: the same job gives the same pixels whatever was computed before, in any order.
"""

import hashlib
import os
import threading
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.job.model import STAGE_IDS, Job, Layer, Stage
from lather.core.stages.base import LayerKind, Pixels, Surroundings
from lather.core.types import TILE, EncodedRGB, Rect, tile_rect


def default_memory_limit() -> int:
    """A quarter of the machine's memory, at most 4 GiB, in bytes."""
    total = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(total // 4, 4 * 1024**3)


class TileCache:
    """Tiles by key; the least recently used go first when `limit_bytes` is passed."""

    def __init__(self, limit_bytes: int):
        self.limit_bytes = limit_bytes
        self.used_bytes = 0
        self._tiles: OrderedDict[object, np.ndarray] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: object) -> np.ndarray | None:
        with self._lock:
            tile = self._tiles.get(key)
            if tile is not None:
                self._tiles.move_to_end(key)
            return tile

    def put(self, key: object, tile: np.ndarray) -> None:
        tile.setflags(write=False)
        with self._lock:
            old = self._tiles.pop(key, None)
            self.used_bytes += tile.nbytes - (old.nbytes if old is not None else 0)
            self._tiles[key] = tile
            self._let_go(self.limit_bytes)

    def shrink(self, limit_bytes: int) -> None:
        """Let go of the least recently used tiles now; later ones may fill it to its own limit again."""
        with self._lock:
            self._let_go(limit_bytes)

    def _let_go(self, limit_bytes: int) -> None:
        while self.used_bytes > limit_bytes and self._tiles:
            self.used_bytes -= self._tiles.popitem(last=False)[1].nbytes

    def __len__(self) -> int:
        return len(self._tiles)


@dataclass(frozen=True)
class _Step:
    """One active layer in the order of the course; `first` opens its stage, `last` closes it."""

    stage: Stage
    layer: Layer
    first: bool
    last: bool


class Engine:
    """Renders jobs over one photo.

    photo: the source. kinds: layer kinds by id. memory_limit: bytes that cached tiles may take.
    """

    def __init__(self, photo: Photo, kinds: Mapping[str, LayerKind], *, memory_limit: int | None = None):
        self.photo = photo
        self.kinds = kinds
        self.cache = TileCache(memory_limit or default_memory_limit())
        self._stacks: OrderedDict[tuple[int, str | None], tuple[Job, Stack]] = OrderedDict()
        self._lock = threading.Lock()

    def stack(self, job: Job, stage_id: str | None = None) -> "Stack":
        """The active layers of a job up to and with a stage (all stages if None); `"photo"` has none."""
        key = (id(job), stage_id)
        with self._lock:
            held = self._stacks.get(key)
            if held is not None and held[0] is job:
                self._stacks.move_to_end(key)
                return held[1]
            stack = Stack(self, _steps(job, stage_id, self.kinds))
            self._stacks[key] = (job, stack)
            while len(self._stacks) > 16:
                self._stacks.popitem(last=False)
            return stack

    def tile(self, job: Job, stage_id: str | None, level: int, column: int, row: int) -> EncodedRGB:
        """A finished tile, read-only, from the cache if it is there."""
        bounds = self.photo.level_bounds(level)
        rect = tile_rect(column, row, bounds.x1, bounds.y1)
        stack = self.stack(job, stage_id)
        key = (stack.fingerprint(self.level0(rect, level)), level, column, row)
        tile = self.cache.get(key)
        if tile is None:
            tile = stack.pixels(rect, level)
            self.cache.put(key, tile)
        return tile

    def tile_key(self, job: Job, stage_id: str | None, level: int, column: int, row: int) -> tuple:
        """What a tile is known by: changes exactly when its pixels may."""
        bounds = self.photo.level_bounds(level)
        rect = tile_rect(column, row, bounds.x1, bounds.y1)
        return (self.stack(job, stage_id).fingerprint(self.level0(rect, level)), level, column, row)

    def level0(self, rect: Rect, level: int) -> Rect:
        """The level-0 pixels under a rectangle of a level."""
        return rect.from_level(level).intersect(self.photo.bounds)

    def drafts(self, job: Job, settled: Job, stage_id: str | None) -> bool:
        """True if a draft is sooner there than the tile: some layer lies above what changed since `settled`."""
        stack, before = self.stack(job, stage_id), self.stack(settled, stage_id)
        changed = stack.first_unlike(before)
        itself = {step.layer.id for step in before.steps[changed : changed + 1]}
        above = (step.layer for step in stack.steps[changed:] if step.layer.id not in itself)
        return any(hasattr(self.kinds[layer.kind], "prepare") for layer in above)

    def draft(self, job: Job, settled: Job, stage_id: str | None, level: int, column: int, row: int) -> EncodedRGB:
        """A tile for now: layers above what changed go on with what they worked out for `settled`.

        Patches, and where grain is missing, are those of the job before; the tile itself follows when they are solved.
        """
        bounds = self.photo.level_bounds(level)
        stack, before = self.stack(job, stage_id), self.stack(settled, stage_id)
        live = Live(stack.first_unlike(before) - 1, None, before)
        return stack.pixels(tile_rect(column, row, bounds.x1, bounds.y1), level, live=live)

    def pixels(self, job: Job, rect: Rect, level: int = 0, stage_id: str | None = None) -> EncodedRGB:
        """Pixels of any rectangle inside the level, without the cache."""
        return self.stack(job, stage_id).pixels(rect, level)


def _steps(job: Job, stage_id: str | None, kinds: Mapping[str, LayerKind]) -> tuple[_Step, ...]:
    """Layers that act, in order; those of a kind that this version does not know do nothing."""
    if stage_id == "photo":
        return ()
    last = STAGE_IDS.index(stage_id) if stage_id else len(STAGE_IDS) - 1
    steps = []
    for stage in job.stages[: last + 1]:
        shows = stage.on and stage.strength > 0
        active = [layer for layer in stage.layers if shows and layer.active and layer.kind in kinds]
        for number, layer in enumerate(active):
            steps.append(_Step(stage, layer, number == 0, number == len(active) - 1))
    return tuple(steps)


@dataclass(frozen=True)
class Live:
    """A change in progress: layers above number `index` go on with what they worked out over the stack before it.

    pixels: the picture of layer `index` with a stroke in progress; None if the layer is simply another.
    """

    index: int
    pixels: Pixels | None
    before: "Stack"


class Stack:
    """Active layers bottom to top. `pixels(rect, level, upto=n)` is the picture after the first n of them."""

    def __init__(self, engine: Engine, steps: tuple[_Step, ...]):
        self._engine = engine
        self.steps = steps
        self._around = [self._surroundings(i) for i in range(len(steps))]

    def __len__(self) -> int:
        return len(self.steps)

    def around(self, index: int) -> Surroundings:
        """What layer number `index` may look at."""
        return self._around[index]

    def position(self, layer_id: str) -> int | None:
        return next((i for i, step in enumerate(self.steps) if step.layer.id == layer_id), None)

    def first_unlike(self, other: "Stack") -> int:
        """Number of the first layer that is not the same in another stack."""
        for index, (a, b) in enumerate(zip(self.steps, other.steps)):
            if a.layer is not b.layer or (a.stage.strength, a.first, a.last) != (b.stage.strength, b.first, b.last):
                return index
        return min(len(self), len(other))

    def _surroundings(self, index: int, live: Live | None = None) -> Surroundings:
        first = self._first_of_stage(index)
        closed = {s.stage.id: s.stage.strength for s in self.steps[:first]}
        beneath = (*(step.layer for step in self.steps[:index]), *closed.items())
        return Surroundings(
            self._engine.photo.bounds,
            lambda rect, level: self.pixels(rect, level, upto=index, live=live),
            lambda rect: self.fingerprint(rect, upto=index),
            beneath,
            lambda rect, level: self.pixels(rect, level, upto=first, live=live),
            self._engine.photo.read,
        )

    def _over_live(self, index: int, live: Live, rect: Rect, level: int) -> Surroundings:
        """What a layer above a stroke in progress looks at: the picture with the stroke.

        What it worked out for the picture before the stroke (patches, maps) serves until the pen is lifted: to solve
        it all anew at every event would hold the pen up.
        """
        around = self._surroundings(index, live)
        step = self.steps[index]
        before = live.before.position(step.layer.id)
        kind = self._engine.kinds[step.layer.kind]
        if before is None or not hasattr(kind, "prepare"):
            return around
        known = live.before.around(before)
        kind.prepare(known, step.layer, rect, level)
        return replace(known, below=around.below, stage_input=around.stage_input)

    def _first_of_stage(self, index: int) -> int:
        while not self.steps[index].first:
            index -= 1
        return index

    def fingerprint(self, rect: Rect, *, upto: int | None = None) -> bytes:
        """Hash of what a level-0 rectangle depends on after the first `upto` layers."""
        upto = len(self.steps) if upto is None else upto
        reach = [rect] * (upto + 1)
        for index in range(upto - 1, -1, -1):
            step = self.steps[index]
            kind = self._engine.kinds[step.layer.kind]
            touched = kind.touches(step.layer, reach[index + 1])
            halo = kind.halo(step.layer, 0) if touched else 0
            reach[index] = reach[index + 1].expand(halo).intersect(self._engine.photo.bounds)
        digest = hashlib.blake2b(self._engine.photo.sha256.encode(), digest_size=16).digest()
        for index in range(upto):
            step, area = self.steps[index], reach[index + 1]
            kind = self._engine.kinds[step.layer.kind]
            if kind.touches(step.layer, area):
                h = hashlib.blake2b(digest, digest_size=16)
                h.update(f"{step.layer.kind}|{step.layer.strength}|{step.stage.id}|{step.stage.strength}".encode())
                h.update(kind.fingerprint(self.around(index), step.layer, area))
                digest = h.digest()
        return digest

    def pixels(
        self, rect: Rect, level: int = 0, *, upto: int | None = None, live: Live | None = None
    ) -> EncodedRGB:
        """float32 (h, w, 3), a new array, of a rectangle inside the level.

        upto: number of layers to apply; a stage cut through stays open, its strength comes at its end.
        live: a stroke in progress in place of the full-strength picture of a layer.
        """
        upto = len(self.steps) if upto is None else upto
        index = upto - 1
        if index < 0:
            return self._engine.photo.read(rect, level)
        step = self.steps[index]
        kind = self._engine.kinds[step.layer.kind]
        strength, below = np.float32(step.layer.strength), None
        if live is not None and live.index == index and live.pixels is not None:
            out = live.pixels(rect, level)
        elif kind.touches(step.layer, self._engine.level0(rect, level)):
            over = live is not None and index > live.index
            around = self._over_live(index, live, rect, level) if over else self.around(index)
            if hasattr(kind, "add_to"):
                out = around.below(rect, level)
                kind.add_to(out, around, step.layer, rect, level, strength)
                strength = 1
            else:
                if strength != 1:  # what lies below is needed twice: it is worked out once
                    below = self.pixels(rect, level, upto=index, live=live)
                    around = replace(around, below=_known(around.below, rect, level, below))
                out = kind.render(around, step.layer, rect, level)
        else:
            out, strength = self.pixels(rect, level, upto=index, live=live), 1
        if strength != 1:
            if below is None:
                below = self.pixels(rect, level, upto=index, live=live)
            out = _mixed(below, out, strength)
        if step.last and step.stage.strength < 1:
            stage_input = self.pixels(rect, level, upto=self._first_of_stage(index), live=live)
            out = _mixed(stage_input, out, step.stage.strength)
        return out


def _mixed(below: EncodedRGB, over: EncodedRGB, strength: float) -> EncodedRGB:
    return cv2.addWeighted(below, 1 - float(strength), over, float(strength), 0)


def _known(read: Pixels, rect: Rect, level: int, pixels: EncodedRGB) -> Pixels:
    """`read`, with one rectangle that is at hand already."""
    return lambda r, n: pixels.copy() if r == rect and n == level else read(r, n)


def whole_picture_tiles(bounds: Rect) -> list[tuple[int, int]]:
    """(column, row) of all tiles of a level."""
    return [(c, r) for r in range(-(-bounds.y1 // TILE)) for c in range(-(-bounds.x1 // TILE))]
