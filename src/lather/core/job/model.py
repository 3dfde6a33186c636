"""The document. Frozen values with structural sharing: an edit makes a new Job that shares all else.

Lengths and places are source pixels with (0, 0) at the top-left corner of the top-left pixel. No pixel of
the picture lives here. Fields this version does not know are kept in `extra` and written back.
"""

import hashlib
import uuid
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from lather.core import ranges
from lather.core.brush.stroke import TouchWalker, touches_bounds, touches_expected
from lather.core.brush.values import Brush
from lather.core.errors import RequestError
from lather.core.job.agreements import state_by_agreement
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import WANTED_GONE, Find
from lather.core.job.part_strokes import PartStroke
from lather.core.job.purpose import of_edit
from lather.core.job.source_map import SourceTurn, source_rect
from lather.core.job.unknown_fields import kept
from lather.core.kinds.registry import stage_of_kind
from lather.core.phrases import Typed, phrase
from lather.core.recent import Recent
from lather.core.tools.registry import TOOLS, modes
from lather.core.types import EMPTY, Rect

STAGE_IDS = ("mend", "strands", "split", "even", "sculpt", "colour", "shape", "grain", "crisp", "finish")


def new_id() -> str:
    """A random word of twelve hex digits."""
    return uuid.uuid4().hex[:12]


def freeze_points(points) -> np.ndarray:
    """float32 (n, 4) x, y, pressure, seconds; read-only."""
    array = np.array(points, np.float32).reshape(-1, 4)
    array.setflags(write=False)
    return array


@dataclass(frozen=True, eq=False)
class Stroke:
    """One edit by brush, or (graft) by outline.

    tool: one of TOOLS. points: float32 (n, 4) x, y, pressure 0-1, seconds; of a tool by outline, its corners; of a
    strand, its path from tip to root.
    offset: whole pixels (dx, dy) from the place painted to the place taken from; None where nothing is taken.
    turn: mirror, rotation and scale of what is taken. mode: for copy, any / lighter / darker; for area, any (smooth)
    or flat. own_texture: a copy takes the tone only. feather: px that an outline fades inwards, None for a share of the
    brush. pull: (x, y) from and to in px, of what is drawn to a place. mirror: (a, b, c, d, x, y), the map of a place
    to the other side of the face, where the stroke acts as well. order: among all edits of a stage that keeps one.
    fence: nothing is laid outside it. note: what it was made for ("dark spot"), for lists and reports.
    find: id of the find it mends, or "". purpose: the same for programs, as a plain word (see `purpose`). carried: name
    of the photo it was carried over from, or "".
    """

    id: str
    tool: str
    brush: Brush
    points: np.ndarray
    offset: tuple[int, int] | None = None
    mode: str = "any"
    note: str = ""
    turn: SourceTurn | None = None
    fence: Fence | None = None
    find: str = ""
    purpose: str = ""
    feather: float | None = None
    own_texture: bool = False
    pull: tuple[float, float, float, float] | None = None
    mirror: tuple[float, float, float, float, float, float] | None = None
    order: int = 0
    carried: str = ""
    extra: dict = field(default_factory=dict)

    @cached_property
    def digest(self) -> bytes:
        """Hash of everything that decides the stroke's pixels."""
        h = hashlib.blake2b(digest_size=16)
        h.update(f"{self.tool}|{self.mode}|{self.offset}|{self.brush}|{self.points.shape}".encode())
        h.update(np.ascontiguousarray(self.points).tobytes())
        if self.turn is not None or self.fence is not None:
            h.update(f"{self.turn}|{self.fence}".encode())
        if self.feather is not None:
            h.update(f"feather {self.feather}".encode())
        if self.own_texture:
            h.update(b"own texture")
        if self.pull is not None or self.mirror is not None:
            h.update(f"pull {self.pull} mirror {self.mirror}".encode())
        return h.digest()

    @property
    def by_outline(self) -> bool:
        """True if its points are the corners of an outline."""
        return TOOLS[self.tool].by_outline

    @property
    def feather_px(self) -> float:
        """How far inwards the rim of an outline fades."""
        return max(1.0, 0.25 * self.brush.edge * self.brush.size_px) if self.feather is None else self.feather

    @property
    def heals(self) -> bool:
        """Its tone is fitted to the surroundings by a membrane."""
        return TOOLS[self.tool].heals

    def covers(self, x: float, y: float, size_px: float) -> bool:
        """True if the stroke passes over a spot of a size so that most of it is mended."""
        if self.fence is not None and not self.fence.reaches(x, y, 1.0):
            return False
        if self.by_outline:
            return True  # its bounds were asked before
        touches = self.touches
        near = np.hypot(touches[:, 0] - x, touches[:, 1] - y)
        return bool((near + 0.3 * size_px < touches[:, 2]).any())

    def source_rect(self, rect: Rect) -> Rect:
        """Pixels taken from to fill a rectangle; empty where nothing is taken."""
        return EMPTY if self.offset is None else source_rect(rect, self.offset, self.turn)

    @cached_property
    def touches(self) -> np.ndarray:
        """Touches (n, 5) of the whole stroke: x, y, radius, flow, ceiling."""
        return TouchWalker(self.brush).extend(self.points)

    @cached_property
    def bounds(self) -> Rect:
        """Pixels the stroke can reach; may lie partly outside the picture."""
        if self.by_outline:
            low, high = np.floor(self.points[:, :2].min(0)), np.ceil(self.points[:, :2].max(0))
            reach = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)
        else:
            reach = touches_bounds(self.touches)
        return reach if self.fence is None else reach.intersect(self.fence.bounds)

    def check(self) -> None:
        """Raises RequestError for values that no stroke can have; a stroke that was read is checked before it is used.
        """
        if not ranges.ID.fullmatch(self.id):
            raise RequestError(phrase("An edit's id “%1” is no plain word.", self.id[:40]))
        if self.mode not in modes():
            raise RequestError(phrase("There is no mode “%1”; choose from %2.", self.mode[:40], ", ".join(modes())))
        if self.offset is None and TOOLS[self.tool].takes:
            raise RequestError(phrase("A %1 without the place it takes from cannot be laid down.", self.tool))
        for value in self.offset or ():
            ranges.OFFSET_PX.check(value, "An offset")
        if self.feather is not None:
            ranges.FEATHER_PX.check(self.feather, "A feather")
        for number in self.pull or ():
            ranges.PLACE_PX.check(number, "A place drawn to")
        for number in self.mirror or ():
            ranges.PLACE_PX.check(number, "A number of a mirror")
        ranges.ORDER.check(self.order, "A place in the order")
        ranges.BRUSH_CEILING.check(self.brush.ceiling, "A brush's ceiling")
        ranges.BRUSH_FLOW.check(self.brush.flow, "A brush's flow")
        ranges.check_places(self.points[:, :2], "A place")
        ranges.check_places(self.points[:, 2], "Pressure", ranges.SHARE)
        ranges.check_places(self.points[:, 3], "A time", ranges.SECONDS)
        if self.by_outline:
            if len(self.points) > ranges.MOST_CORNERS:
                raise RequestError(phrase("An outline of %1 corners is over %2.", f"{len(self.points):,}",
                                          f"{ranges.MOST_CORNERS:,}"))
        elif touches_expected(self.brush, self.points) > ranges.MOST_TOUCHES:
            raise RequestError(phrase("A stroke of over %1 touches is longer than any hand paints.",
                                      f"{ranges.MOST_TOUCHES:,}"))

    def __eq__(self, other):
        return isinstance(other, Stroke) and self.id == other.id and self.to_json() == other.to_json() and (
            self.digest == other.digest
        )

    __hash__ = None  # type: ignore[assignment]  # what can be equal with other points has none

    def to_json(self) -> dict:
        """All but the points, which the archive keeps as an array of their own."""
        data = dict(self.extra)
        data |= {"id": self.id, "kind": "stroke", "tool": self.tool, "brush": self.brush.to_json()}
        if self.offset is not None:
            data["offset"] = list(self.offset)
        if TOOLS[self.tool].modes:
            data["mode"] = self.mode
        if self.feather is not None:
            data["feather_px"] = self.feather
        if self.own_texture:
            data["own_texture"] = True
        if self.pull is not None:
            data["pull"] = list(self.pull)
        if self.mirror is not None:
            data["mirror"] = list(self.mirror)
        if self.order:
            data["order"] = self.order
        if self.note:
            data["note"] = self.note
        if self.purpose:
            data["purpose"] = self.purpose
        if self.turn is not None:
            data["turn"] = self.turn.to_json()
        if self.fence is not None:
            data["fence"] = self.fence.to_json()
        if self.find:
            data["find"] = self.find
        if self.carried:
            data["carried"] = self.carried
        return data

    @classmethod
    def from_json(cls, data: dict, points: np.ndarray) -> "Stroke":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be a stroke."""
        offset = data.get("offset")
        feather = data.get("feather_px")
        stroke = cls(
            id=str(data["id"]), tool=str(data["tool"]), brush=Brush.from_json(data["brush"]),
            points=freeze_points(points), offset=(int(offset[0]), int(offset[1])) if offset else None,
            mode=str(data.get("mode", "any")), note=str(data.get("note", "")), find=str(data.get("find", "")),
            purpose=of_edit(data), turn=SourceTurn.from_json(data["turn"]) if data.get("turn") else None,
            fence=Fence.from_json(data["fence"]) if data.get("fence") else None,
            feather=None if feather is None else float(feather), own_texture=bool(data.get("own_texture", False)),
            pull=_numbers(data.get("pull"), 4), mirror=_numbers(data.get("mirror"), 6),
            order=int(data.get("order", 0)), carried=str(data.get("carried", ""))[:200],
            extra=kept(data, *_STROKE_FIELDS),
        )
        stroke.check()
        return stroke


_STROKE_FIELDS = ("id", "kind", "tool", "brush", "offset", "mode", "note", "purpose", "turn", "fence", "find",
                  "feather_px", "own_texture", "pull", "mirror", "order", "carried")


def _numbers(values: list | None, count: int) -> Any:
    """A tuple of `count` numbers, or None. Raises RequestError unless there are just as many."""
    if values is None:
        return None
    if len(values) != count:
        raise RequestError(phrase("%1 numbers stand where %2 belong.", len(values), count))
    return tuple(float(value) for value in values)


@dataclass(frozen=True)
class Layer:
    """A named list of edits with strength 0-1 and a switch; `kind` says which stage method renders it.

    settings: plain values of its kind (widths, bands); some make it act without edits (`acts_by_itself`).
    soften: the kind of find that it softens, or ""; where: in which zone. Such a layer is found again by the two.
    purpose: what it was made for, if it is found again by that (see `purpose`).
    fence: none of its edits reaches outside it. unknown_edits: edits of a newer version, as they were read: they do
    nothing here and are written back.
    """

    id: str
    name: str
    kind: str = "mend"
    on: bool = True
    strength: float = 1.0
    edits: tuple[Stroke, ...] = ()
    named_by_person: bool = False
    settings: dict = field(default_factory=dict)
    fence: Fence | None = None
    soften: str = ""
    where: str = ""
    purpose: str = ""
    unknown_edits: tuple[dict, ...] = ()
    extra: dict = field(default_factory=dict)

    @property
    def shown_name(self) -> str:
        """Its name as it is shown: what the person called it stays so in every language."""
        return Typed(self.name) if self.named_by_person else self.name


def acts_by_itself(layer: Layer) -> bool:
    """True for a layer that acts where nothing was painted: everywhere, by zone, or around what was painted."""
    return any(layer.settings.get(name) for name in ("everywhere", "zones", "turned"))


@dataclass(frozen=True)
class Stage:
    """One of the ten steps of the course; its layers render bottom first."""

    id: str
    on: bool = True
    strength: float = 1.0
    layers: tuple[Layer, ...] = ()
    extra: dict = field(default_factory=dict)

    def layer(self, layer_id: str) -> Layer:
        """The layer of an id. Raises KeyError."""
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise KeyError(layer_id)

    def index(self, layer_id: str) -> int:
        """Where the layer of an id stands, from the bottom. Raises StopIteration."""
        return next(i for i, layer in enumerate(self.layers) if layer.id == layer_id)

    def free_name(self, label: str) -> str:
        """The label, or the first of `label 2`, `label 3`, … that no layer of the stage has."""
        names, name, number = {layer.name for layer in self.layers}, label, 2
        while name in names:
            name, number = f"{label} {number}", number + 1
        return name


@dataclass(frozen=True)
class Source:
    """The photo a job belongs to: its file name inside the job, size and SHA-256 of its bytes."""

    name: str = ""
    width: int = 0
    height: int = 0
    sha256: str = ""
    extra: dict = field(default_factory=dict)

    def to_json(self) -> dict:
        """Plain values; fields of a newer version go along."""
        known = {"name": self.name, "width": self.width, "height": self.height, "sha256": self.sha256}
        return self.extra | known

    @classmethod
    def from_json(cls, data: dict) -> "Source":
        """Inverse of `to_json`. Raises KeyError or ValueError."""
        return cls(str(data["name"]), int(data["width"]), int(data["height"]), str(data["sha256"]),
                   kept(data, "name", "width", "height", "sha256"))


@dataclass(frozen=True)
class Job:
    """A whole retouch as a recipe. `brief` holds the job sheet as plain values (title, kind, …).

    finds: what was found, None before anything was looked for. left_alone: what a rule says is no flaw, each with the
    name of its rule. decisions: {find id: keep, skip or mend (somebody
    wants it gone)}; what was mended is told by the edits themselves. face_map: of the face in hand, as found, or
    as the person dragged it; other_faces: of all others in the photo. part_strokes: what the person corrected
    of the parts that were read in it.
    unknown_stages: stages of a newer version, as they were read: they do nothing here and are written back.
    """

    id: str
    source: Source
    stages: tuple[Stage, ...] = tuple(Stage(stage_id) for stage_id in STAGE_IDS)
    brief: dict = field(default_factory=dict)
    finds: tuple[Find, ...] | None = None
    left_alone: tuple[Find, ...] = ()
    decisions: dict = field(default_factory=dict)
    face_map: FaceMap | None = None
    other_faces: tuple[FaceMap, ...] = ()
    part_strokes: tuple[PartStroke, ...] = ()
    unknown_stages: tuple[dict, ...] = ()
    extra: dict = field(default_factory=dict)

    def stage(self, stage_id: str) -> Stage:
        """The stage of an id. Raises ValueError for another word."""
        return self.stages[STAGE_IDS.index(stage_id)]

    def stage_of(self, layer_id: str) -> Stage:
        """The stage that holds a layer. Raises KeyError."""
        for stage in self.stages:
            if any(layer.id == layer_id for layer in stage.layers):
                return stage
        raise KeyError(layer_id)

    def with_stage(self, stage: Stage) -> "Job":
        """With another stage in the place of the one with its id."""
        return replace(self, stages=tuple(stage if s.id == stage.id else s for s in self.stages))

    def with_layer(self, stage_id: str, layer: Layer) -> "Job":
        """With another layer in the place of the one with its id."""
        stage = self.stage(stage_id)
        layers = tuple(layer if old.id == layer.id else old for old in stage.layers)
        return self.with_stage(replace(stage, layers=layers))

    def edits(self):
        """Every edit, bottom first."""
        for stage in self.stages:
            for layer in stage.layers:
                yield from layer.edits

    @property
    def edit_count(self) -> int:
        """Edits of all layers."""
        return sum(len(layer.edits) for stage in self.stages for layer in stage.layers)

    @cached_property
    def _mends(self) -> tuple[frozenset[str], frozenset[str]]:
        """Ids of the finds that some edit was made for; of those and all that a stroke by hand covers."""
        lists = tuple(layer.edits for name in _TAKES_AWAY for layer in self.stage(name).layers)
        held = _MENDS.get("last")  # a strength moved is another job with the very same edits
        if held is not None and held[1] is self.finds and len(held[0]) == len(lists) and all(
            a is b for a, b in zip(held[0], lists)
        ):
            return held[2]
        made = _mended(lists, self.finds or ())
        _MENDS.put("last", (lists, self.finds, made))
        return made

    def mended_finds(self) -> frozenset[str]:
        """Ids of the finds that some edit was made for, or that a stroke by hand covers."""
        return self._mends[1]

    def find_state(self, find: Find, mended: frozenset[str] | None = None) -> str:
        """mended, keep, skip, or open. What the client agreed to stay is kept until the person says otherwise."""
        if find.id in (self.mended_finds() if mended is None else mended):
            return "mended"
        said = self.decisions.get(find.id) or state_by_agreement(self.brief, find.kind, find.keeper)
        return "open" if said == WANTED_GONE else said

    def keepers(self) -> tuple[Find, ...]:
        """Finds that are to stay. One that a stroke by hand went over still is one; one mended on purpose is not."""
        on_purpose = self._mends[0]
        unmended: frozenset[str] = frozenset()
        wanted = (f for f in self.finds or () if self.find_state(f, unmended) == "keep")
        return tuple(f for f in wanted if f.id not in on_purpose)

    @property
    def title(self) -> str:
        """As the job sheet says, else the name of the photo."""
        typed = self.brief.get("title") or self.source.name
        return Typed(typed) if typed else "Untitled"


_MENDS = Recent(1)
_TAKES_AWAY = ("mend", "strands", "even", "colour")  # smoothing tone or adding grain takes no flaw away


def _mended(lists, finds) -> tuple[frozenset[str], frozenset[str]]:
    edits = [edit for edits in lists for edit in edits]
    on_purpose = frozenset(edit.find for edit in edits if edit.find)
    mended = set(on_purpose)
    by_hand = [edit for edit in edits if not edit.find and TOOLS[edit.tool].mends]
    if by_hand and finds:
        boxes = np.array([edit.bounds for edit in by_hand])
        for find in finds:
            over = (boxes[:, 0] < find.x) & (boxes[:, 2] > find.x) & (boxes[:, 1] < find.y) & (boxes[:, 3] > find.y)
            evened = stage_of_kind(find.kind) == "even"  # what evens takes nothing else away
            near = (by_hand[i] for i in np.flatnonzero(over) if evened == (by_hand[i].tool == "even_area"))
            if any(edit.covers(find.x, find.y, find.width_px or find.size_px) for edit in near):
                mended.add(find.id)
    return on_purpose, frozenset(mended)


def new_job(source: Source, **brief) -> Job:
    """A job with an empty Mend layer to work on."""
    job = Job(new_id(), source, brief=brief)
    return job.with_stage(replace(job.stage("mend"), layers=(Layer(new_id(), "Spots"),)))
