"""The engine: pixels and fingerprints of a job at any stage, level and rectangle.

Pure towards the outside: the same job gives the same pixels whatever was computed before, in any order.
"""

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Protocol

import numpy as np

from lather.core.engine.photo import Photo
from lather.core.job.face_map import FaceMap
from lather.core.job.model import STAGE_IDS, Job, Stage
from lather.core.memory import Budget
from lather.core.recent import Recent
from lather.core.stages.base import STILL, LayerKind, Pixels, Step, Surroundings, Warp, Zones, mixed
from lather.core.types import TILE, EncodedRGB, Rect, tile_rect, tiles_of

_STACKS_KEPT = 16
BEFORE = ("photo", "moved")
"""What a retouch is compared with: the photo as it came, or moved as the retouch moves it."""


class Outline(Protocol):
    """Where the person ends."""

    def snapped(self, x: float, y: float, reach_px: float) -> tuple[np.ndarray, np.ndarray] | None:
        """(place on the outline, unit vector inwards) nearest to a place; None where none is within reach."""


class TileCache(Recent):
    """Finished tiles, read-only; the least recently used go first when `limit` bytes are passed."""

    def __init__(self, limit: int):
        super().__init__(limit, lambda tile: tile.nbytes)

    def put(self, key: object, tile: np.ndarray) -> None:
        """Keep a finished tile; from now on nobody may write to it."""
        tile.setflags(write=False)
        super().put(key, tile)


class Engine:
    """Renders jobs over one photo.

    photo: the source. kinds: layer kinds by id. budget: how much memory may be taken. outline(): where the person ends
    (a `PersonOutline`), zones: where skin, lips, hair … lie; None where nobody looks for them.
    """

    def __init__(self, photo: Photo, kinds: Mapping[str, LayerKind], *, budget: Budget | None = None):
        self.photo = photo
        self.kinds = kinds
        self.budget = budget or Budget.usual()
        self.cache = TileCache(self.budget.share("tiles"))
        self._stacks = Recent(_STACKS_KEPT)
        self.outline: Callable[[], Outline | None] = lambda: None
        self.zones: Zones | None = None

    def zones_of(self, job: Job) -> Zones | None:
        """Where skin, lips, hair … lie, as a job corrects them; None where nobody looks for them."""
        return self.zones.corrected(job.part_strokes) if self.zones is not None else None

    def stack(self, job: Job, stage_id: str | None = None) -> "Stack":
        """The active layers of a job up to and with a stage (all stages if None). `"photo"` has none, `"moved"` only
        what moves it.
        """
        key = (id(job), stage_id)
        held = self._stacks.get(key)
        if held is not None and held[0] is job:
            return held[1]
        stack = self._stack_of(job, _steps(job, stage_id, self.kinds, self.photo.bounds))
        self._stacks.put(key, (job, stack))
        return stack

    def stack_with(self, job: Job, layer_id: str) -> "Stack":
        """The active layers of a job and one that is on but may still do nothing: it is painted on all the same."""
        return self._stack_of(job, _steps(job, None, self.kinds, self.photo.bounds, also=layer_id))

    def _stack_of(self, job: Job, steps: tuple[Step, ...]) -> "Stack":
        return Stack(self, steps, faces_of(job), job.brief.get("kind"), self.zones_of(job))

    def kind_of(self, step: Step) -> LayerKind:
        """The kind that renders a step."""
        return self.kinds[step.layer.kind]

    def warp(self, job: Job) -> Warp:
        """How the whole job moves the photo: between what is kept and what is seen."""
        stack = self.stack(job)
        return stack.warp(len(stack))

    def tile(
        self, job: Job, stage_id: str | None, level: int, column: int, row: int, *, key: tuple | None = None
    ) -> EncodedRGB:
        """A finished tile, read-only, from the cache if it is there. key: its `tile_key`, where it is known."""
        key = key or self.tile_key(job, stage_id, level, column, row)
        tile = self.cache.get(key)
        if tile is None:
            bounds = self.photo.level_bounds(level)
            tile = self.stack(job, stage_id).pixels(tile_rect(column, row, bounds.x1, bounds.y1), level)
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
        above = (step for step in stack.steps[changed:] if step.layer.id not in itself)
        return any(self.kind_of(step).prepares for step in above)

    def draft(self, job: Job, settled: Job, stage_id: str | None, level: int, column: int, row: int) -> EncodedRGB:
        """A tile for now: layers above what changed go on with what they worked out for `settled`.

        Patches, and where grain is missing, are those of the job before; the tile itself follows when they are solved.
        """
        bounds = self.photo.level_bounds(level)
        stack, before = self.stack(job, stage_id), self.stack(settled, stage_id)
        live = Live(stack.first_unlike(before) - 1, None, before, quick=True)
        return stack.pixels(tile_rect(column, row, bounds.x1, bounds.y1), level, live=live)

    def pixels(self, job: Job, rect: Rect, level: int = 0, stage_id: str | None = None) -> EncodedRGB:
        """Pixels of any rectangle inside the level, without the cache."""
        return self.stack(job, stage_id).pixels(rect, level)


def faces_of(job: Job) -> tuple[FaceMap, ...]:
    """All faces of a job, in an order that does not depend on which one is in hand."""
    faces = (*((job.face_map,) if job.face_map is not None else ()), *job.other_faces)
    return tuple(sorted(faces, key=lambda face: face.frame[0].tolist()))


def _steps(
    job: Job, stage_id: str | None, kinds: Mapping[str, LayerKind], bounds: Rect, *, also: str = ""
) -> tuple[Step, ...]:
    """Layers that act, in order, and the one of that id; those of a kind that this version does not know do nothing."""
    if stage_id == "photo":
        return ()
    if stage_id == "moved":
        moving = (step for step in _steps(job, None, kinds, bounds) if kinds[step.layer.kind].folds)
        return tuple(moving)
    stages = job.stages[: STAGE_IDS.index(stage_id) + 1] if stage_id else job.stages
    return tuple(step for stage in stages for step in _steps_of(stage, kinds, bounds, also))


def _steps_of(stage: Stage, kinds: Mapping[str, LayerKind], bounds: Rect, also: str) -> list[Step]:
    if not stage.on or stage.strength <= 0:
        return []
    groups: list[list] = []
    for layer in stage.layers:
        kind = kinds.get(layer.kind)
        if kind is None or not layer.on or layer.strength <= 0:
            continue
        if layer.id != also and not kind.acts(layer):
            continue
        if kind.folds and groups and groups[-1][-1].kind == layer.kind:
            groups[-1].append(layer)
        else:
            groups.append([layer])
    last = len(groups) - 1
    return [Step(stage, tuple(group), number == 0, number == last, bounds) for number, group in enumerate(groups)]


@dataclass(frozen=True)
class Live:
    """A change in progress: steps above number `index` go on with what they worked out over the stack before it.

    pixels: the picture of step `index` with a stroke in progress; None if the layer is simply another. quick: it is
    looked at for a moment only.
    """

    index: int
    pixels: Pixels | None
    before: "Stack"
    quick: bool = False


class Stack:
    """Steps bottom to top. `pixels(rect, level, upto=n)` is the picture after the first n of them."""

    def __init__(self, engine: Engine, steps: tuple[Step, ...], faces: tuple[FaceMap, ...] = (),
                 job_kind: str | None = None, zones: Zones | None = None):
        self._engine = engine
        self.steps, self._faces, self._job_kind, self._zones = steps, faces, job_kind, zones
        self._digests: dict[tuple[Rect, int], bytes] = {}
        self._kinds = [engine.kind_of(step) for step in steps]
        self._first = _first_of_stage(steps)
        self._around = [self._surroundings(i) for i in range(len(steps))]

    def __len__(self) -> int:
        return len(self.steps)

    def around(self, index: int) -> Surroundings:
        """What step number `index` may look at."""
        return self._around[index]

    def above(self) -> Surroundings:
        """What a stage on top of all steps may look at."""
        return self._surroundings(len(self.steps))

    def position(self, layer_id: str) -> int | None:
        """Number of the step that holds a layer; None if it does not act."""
        return next((i for i, step in enumerate(self.steps) if any(x.id == layer_id for x in step.layers)), None)

    def first_unlike(self, other: "Stack") -> int:
        """Number of the first step that is not the same in another stack."""
        for index, (a, b) in enumerate(zip(self.steps, other.steps)):
            if not a.same_as(b):
                return index
        return min(len(self), len(other))

    def warp(self, upto: int) -> Warp:
        """How the first `upto` steps move the photo. One stage does, so one warp is all there is."""
        moving = (kind.warp(step) for kind, step in zip(self._kinds[:upto], self.steps))
        return next((warp for warp in moving if warp is not STILL), STILL)

    def spreads(self, index: int, rect: Rect) -> Rect:
        """Level-0 pixels of the finished picture that a change of step `index` in a rectangle may reach."""
        for kind, step in zip(self._kinds[index + 1 :], self.steps[index + 1 :]):
            rect = kind.warp(step).spreads(rect)
        return rect.intersect(self._engine.photo.bounds)

    def _touches(self, index: int, rect: Rect) -> bool:
        """True if a step may change a level-0 rectangle. Its edits lie in the photo, below what moves it."""
        kind, step = self._kinds[index], self.steps[index]
        return kind.touches(step, rect if kind.folds else self._around[index].warp.reads(rect))

    def _surroundings(self, index: int, live: Live | None = None) -> Surroundings:
        first = self._first[index] if index < len(self.steps) else index
        warp, photo = self.warp(index), self._engine.photo
        closed = {s.stage.id: s.stage.strength for s in self.steps[:first]}
        finished = index < len(self.steps) and live is None and self._kinds[index].over_finished
        beneath = (*(layer for step in self.steps[:index] for layer in step.layers), *closed.items())
        return Surroundings(
            photo.bounds,
            partial(self._finished, index) if finished else lambda rect, level: self.pixels(
                rect, level, upto=index, live=live),
            lambda rect: self.fingerprint(rect, upto=index),
            beneath,
            lambda rect, level: self.pixels(rect, level, upto=first, live=live),
            lambda rect: self.fingerprint(rect, upto=first),
            photo.read if warp is STILL else partial(warp.resample, photo.read),
            warp,
            self._faces,
            self._job_kind,
            zones=self._zones,
            blocks=photo.blocks,
        )

    def _finished(self, upto: int, rect: Rect, level: int) -> EncodedRGB:
        """The picture after the first `upto` steps, put together from the tiles that the view of it has left."""
        engine, bounds = self._engine, self._engine.photo.level_bounds(level)
        out = np.empty((rect.height, rect.width, 3), np.float32)
        for column, row in tiles_of(rect):
            tile = tile_rect(column, row, bounds.x1, bounds.y1)
            key = (self.fingerprint(engine.level0(tile, level), upto=upto), level, column, row)
            pixels = engine.cache.get(key)
            if pixels is None:
                pixels = self.pixels(tile, level, upto=upto)
                engine.cache.put(key, pixels)
            part = tile.intersect(rect)
            out[part.slices(rect)] = pixels[part.slices(tile)]
        return out

    def _over_live(self, index: int, live: Live, rect: Rect, level: int) -> Surroundings:
        """What a step above a stroke in progress looks at: the picture with the stroke.

        What it worked out for the picture before the stroke (patches, maps) serves until the pen is lifted: to solve
        it all anew at every event would hold the pen up.
        """
        around = replace(self._surroundings(index, live), draft=live.quick)
        step = self.steps[index]
        before = live.before.position(step.layer.id)
        if before is None:
            return around
        known = live.before.around(before)
        self._kinds[index].prepare(known, step, rect, level)
        return replace(around, beneath=known.beneath, below_fingerprint=known.below_fingerprint,
                       stage_fingerprint=known.stage_fingerprint)

    def fingerprint(self, rect: Rect, *, upto: int | None = None) -> bytes:
        """Hash of what a level-0 rectangle depends on after the first `upto` steps."""
        upto = len(self.steps) if upto is None else upto
        held = self._digests.get((rect, upto))
        if held is None:
            held = self._digests[rect, upto] = self._fingerprint(rect, upto)
        return held

    def _fingerprint(self, rect: Rect, upto: int) -> bytes:
        bounds, touched, reach = self._engine.photo.bounds, [], rect
        for index in range(upto - 1, -1, -1):
            kind, step = self._kinds[index], self.steps[index]
            if self._touches(index, reach):
                touched.append((index, reach))
                reach = kind.needs(step, reach).intersect(bounds)
        digest = hashlib.blake2b(self._engine.photo.sha256.encode(), digest_size=16).digest()
        for index, area in reversed(touched):
            step = self.steps[index]
            strengths = "+".join(f"{layer.strength}" for layer in step.layers)
            h = hashlib.blake2b(digest, digest_size=16)
            h.update(f"{step.layer.kind}|{strengths}|{step.stage.id}|{step.stage.strength}".encode())
            h.update(self._kinds[index].fingerprint(self.around(index), step, area))
            digest = h.digest()
        return digest

    def pixels(
        self, rect: Rect, level: int = 0, *, upto: int | None = None, live: Live | None = None
    ) -> EncodedRGB:
        """float32 (h, w, 3), a new array, of a rectangle inside the level.

        upto: number of steps to apply; a stage cut through stays open, its strength comes at its end.
        live: a stroke in progress in place of the picture of a step.
        """
        upto = len(self.steps) if upto is None else upto
        index = upto - 1
        if index < 0:
            return self._engine.photo.read(rect, level)
        step, kind = self.steps[index], self._kinds[index]
        if live is not None and live.index == index and live.pixels is not None:
            out = live.pixels(rect, level)
        elif self._touches(index, self._engine.level0(rect, level)):
            if live is not None and index > live.index:
                around = self._over_live(index, live, rect, level)
            else:
                around = self.around(index)
            out = kind.render(around, step, rect, level)
        else:
            out = self.pixels(rect, level, upto=index, live=live)
        if step.last and step.stage.strength < 1 and not kind.folds:
            out = mixed(self.pixels(rect, level, upto=self._first[index], live=live), out, step.stage.strength)
        return out


def _first_of_stage(steps: tuple[Step, ...]) -> list[int]:
    """For each step the number of the one that opens its stage."""
    firsts: list[int] = []
    for index, step in enumerate(steps):
        firsts.append(index if step.first else firsts[-1])
    return firsts


def whole_picture_tiles(bounds: Rect) -> list[tuple[int, int]]:
    """(column, row) of all tiles of a level."""
    return [(c, r) for r in range(-(-bounds.y1 // TILE)) for c in range(-(-bounds.x1 // TILE))]
