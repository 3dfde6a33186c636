"""The document. Frozen values with structural sharing: an edit makes a new Job that shares all else.

Lengths and places are source pixels with (0, 0) at the top-left corner of the top-left pixel. No pixel of
the picture lives here. Fields this version does not know are kept in `extra` and written back.
"""

import hashlib
import uuid
from dataclasses import dataclass, field, fields, replace
from functools import cached_property

import numpy as np

from lather.core.brush.stroke import TouchWalker, touches_bounds
from lather.core.brush.values import Brush
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.source_map import SourceTurn, source_rect
from lather.core.types import EMPTY, Rect

STAGE_IDS = ("mend", "strands", "split", "even", "sculpt", "colour", "shape", "grain", "crisp", "finish")
MEND_TOOLS = ("dab", "carry", "copy", "sweep", "graft", "blend_in", "drag", "give_back")
TOOLS = (*MEND_TOOLS, "strand", "area", "mix", "veil", "grain")
OUTLINE_TOOLS = ("graft", "area")
COPY_MODES = ("any", "lighter", "darker")


def new_id() -> str:
    return uuid.uuid4().hex[:12]


def freeze_points(points) -> np.ndarray:
    """float32 (n, 4) x, y, pressure, seconds; read-only."""
    array = np.array(points, np.float32).reshape(-1, 4)
    array.setflags(write=False)
    return array


@dataclass(frozen=True, eq=False)
class Stroke:
    """One edit by brush, or (graft) by outline.

    tool: one of TOOLS. points: float32 (n, 4) x, y, pressure 0-1, seconds; of OUTLINE_TOOLS, the outline's corners;
    of a strand, its path from tip to root.
    offset: whole pixels (dx, dy) from the place painted to the place taken from; None where nothing is taken.
    turn: mirror, rotation and scale of what is taken. mode: for copy, any / lighter / darker; for area, any (smooth)
    or flat. own_texture: a copy takes the tone only. feather: px that an outline fades inwards, None for a share of the
    brush.
    fence: nothing is laid outside it. note: what it was made for ("dark spot"), for lists and reports.
    find: id of the find it mends, or "".
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
    feather: float | None = None
    own_texture: bool = False
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
        return h.digest()

    @property
    def by_outline(self) -> bool:
        return self.tool in OUTLINE_TOOLS

    @property
    def feather_px(self) -> float:
        """How far inwards the rim of an outline fades."""
        return max(1.0, 0.25 * self.brush.edge * self.brush.size_px) if self.feather is None else self.feather

    @property
    def heals(self) -> bool:
        """Its tone is fitted to the surroundings by a membrane."""
        return self.tool in ("dab", "carry", "graft", "blend_in")

    def covers(self, x: float, y: float, size_px: float) -> bool:
        """True if the stroke passes over a spot of a size so that most of it is mended."""
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

    def __eq__(self, other):
        return isinstance(other, Stroke) and self.id == other.id and self.to_json() == other.to_json() and (
            self.digest == other.digest
        )

    __hash__ = None

    def to_json(self) -> dict:
        """All but the points, which the archive keeps as an array of their own."""
        data = dict(self.extra)
        data |= {"id": self.id, "kind": "stroke", "tool": self.tool, "brush": self.brush.to_json()}
        if self.offset is not None:
            data["offset"] = list(self.offset)
        if self.tool in ("copy", "area"):
            data["mode"] = self.mode
        if self.feather is not None:
            data["feather_px"] = self.feather
        if self.own_texture:
            data["own_texture"] = True
        if self.note:
            data["note"] = self.note
        if self.turn is not None:
            data["turn"] = self.turn.to_json()
        if self.fence is not None:
            data["fence"] = self.fence.to_json()
        if self.find:
            data["find"] = self.find
        return data

    @classmethod
    def from_json(cls, data: dict, points: np.ndarray) -> "Stroke":
        known = {"id", "kind", "tool", "brush", "offset", "mode", "note", "turn", "fence", "find", "feather_px",
                 "own_texture"}
        offset = data.get("offset")
        feather = data.get("feather_px")
        return cls(
            id=str(data["id"]), tool=str(data["tool"]), brush=Brush.from_json(data["brush"]),
            points=freeze_points(points), offset=(int(offset[0]), int(offset[1])) if offset else None,
            mode=str(data.get("mode", "any")), note=str(data.get("note", "")), find=str(data.get("find", "")),
            turn=SourceTurn.from_json(data["turn"]) if data.get("turn") else None,
            fence=Fence.from_json(data["fence"]) if data.get("fence") else None,
            feather=None if feather is None else float(feather), own_texture=bool(data.get("own_texture", False)),
            extra={k: v for k, v in data.items() if k not in known},
        )


@dataclass(frozen=True)
class Layer:
    """A named list of edits with strength 0-1 and a switch; `kind` says which stage method renders it.

    settings: plain values of its kind (widths, bands); `"everywhere": True` makes it act without edits.
    fence: none of its edits reaches outside it.
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
    extra: dict = field(default_factory=dict)

    @property
    def active(self) -> bool:
        return self.on and self.strength > 0 and bool(self.edits or self.settings.get("everywhere"))


@dataclass(frozen=True)
class Stage:
    """One of the ten steps of the course; its layers render bottom first."""

    id: str
    on: bool = True
    strength: float = 1.0
    layers: tuple[Layer, ...] = ()
    extra: dict = field(default_factory=dict)

    def layer(self, layer_id: str) -> Layer:
        for layer in self.layers:
            if layer.id == layer_id:
                return layer
        raise KeyError(layer_id)

    def index(self, layer_id: str) -> int:
        return next(i for i, layer in enumerate(self.layers) if layer.id == layer_id)


@dataclass(frozen=True)
class Source:
    """The photo a job belongs to: its file name inside the job, size and SHA-256 of its bytes."""

    name: str = ""
    width: int = 0
    height: int = 0
    sha256: str = ""


@dataclass(frozen=True)
class Job:
    """A whole retouch as a recipe. `brief` holds the job sheet as plain values (title, kind, …).

    finds: what was found, None before anything was looked for. decisions: {find id: keep or skip}; what was mended
    is told by the edits themselves. face_map: as guessed, or as the person dragged it.
    """

    id: str
    source: Source
    stages: tuple[Stage, ...] = tuple(Stage(stage_id) for stage_id in STAGE_IDS)
    brief: dict = field(default_factory=dict)
    finds: tuple[Find, ...] | None = None
    decisions: dict = field(default_factory=dict)
    face_map: FaceMap | None = None
    extra: dict = field(default_factory=dict)

    def stage(self, stage_id: str) -> Stage:
        return self.stages[STAGE_IDS.index(stage_id)]

    def stage_of(self, layer_id: str) -> Stage:
        """The stage that holds a layer. Raises KeyError."""
        for stage in self.stages:
            if any(layer.id == layer_id for layer in stage.layers):
                return stage
        raise KeyError(layer_id)

    def with_stage(self, stage: Stage) -> "Job":
        return replace(self, stages=tuple(stage if s.id == stage.id else s for s in self.stages))

    def with_layer(self, stage_id: str, layer: Layer) -> "Job":
        stage = self.stage(stage_id)
        layers = tuple(layer if old.id == layer.id else old for old in stage.layers)
        return self.with_stage(replace(stage, layers=layers))

    def edits(self):
        """Every edit, bottom first."""
        for stage in self.stages:
            for layer in stage.layers:
                yield from layer.edits

    @cached_property
    def _mended(self) -> frozenset[str]:
        stages = (self.stage("mend"), self.stage("strands"))  # evening tone or adding grain takes no flaw away
        edits = [edit for stage in stages for layer in stage.layers for edit in layer.edits
                 if edit.tool not in ("give_back", "drag")]
        mended = {edit.find for edit in edits if edit.find}
        by_hand = [edit for edit in edits if not edit.find]
        if by_hand and self.finds:
            boxes = np.array([edit.bounds for edit in by_hand])
            for find in self.finds:
                over = (boxes[:, 0] < find.x) & (boxes[:, 2] > find.x) & (boxes[:, 1] < find.y) & (boxes[:, 3] > find.y)
                if any(by_hand[i].covers(find.x, find.y, find.width_px or find.size_px) for i in np.flatnonzero(over)):
                    mended.add(find.id)
        return frozenset(mended)

    def mended_finds(self) -> frozenset[str]:
        """Ids of the finds that some edit was made for, or that a stroke by hand covers."""
        return self._mended

    def find_state(self, find: Find, mended: frozenset[str] | None = None) -> str:
        """mended, keep, skip, or open. A keeper is kept until the person says otherwise."""
        if find.id in (self.mended_finds() if mended is None else mended):
            return "mended"
        return self.decisions.get(find.id) or ("keep" if find.keeper else "open")

    def keepers(self) -> tuple[Find, ...]:
        """Finds that are to stay."""
        mended = self.mended_finds()
        return tuple(f for f in self.finds or () if self.find_state(f, mended) == "keep")

    @property
    def title(self) -> str:
        return str(self.brief.get("title") or self.source.name or "Untitled")


def new_job(source: Source, **brief) -> Job:
    """A job with an empty Mend layer to work on."""
    job = Job(new_id(), source, brief=brief)
    return job.with_stage(replace(job.stage("mend"), layers=(Layer(new_id(), "Spots"),)))


_LAYER_FIELDS = {f.name for f in fields(Layer)} - {"extra"}
_STAGE_FIELDS = {f.name for f in fields(Stage)} - {"extra"}


def layer_to_json(layer: Layer) -> dict:
    data = dict(layer.extra) | {
        "id": layer.id, "name": layer.name, "kind": layer.kind, "on": layer.on, "strength": layer.strength,
        "named_by_person": layer.named_by_person, "edits": [edit.to_json() for edit in layer.edits],
    }
    if layer.settings:
        data["settings"] = layer.settings
    if layer.fence is not None:
        data["fence"] = layer.fence.to_json()
    return data


class StrokePoints(dict):
    """Points (n, 4) by stroke id, and strokes made of them: what a document and its undo list share is made once."""

    def __init__(self, points=()):
        super().__init__(points)
        self.made: dict[str, tuple[dict, Stroke]] = {}


def stroke_from_json(data: dict, points: dict) -> Stroke:
    """The stroke of a document or a command; points: by stroke id. Raises as `job_from_json`."""
    made = points.made if isinstance(points, StrokePoints) else {}
    held = made.get(data["id"])
    if held is None or held[0] != data:
        held = made[data["id"]] = (data, Stroke.from_json(data, points[data["id"]]))
    return held[1]


def layer_from_json(data: dict, points: dict) -> Layer:
    return Layer(
        id=str(data["id"]), name=str(data["name"]), kind=str(data.get("kind", "mend")), on=bool(data.get("on", True)),
        strength=min(1.0, max(0.0, float(data.get("strength", 1.0)))),
        named_by_person=bool(data.get("named_by_person", False)),
        edits=tuple(stroke_from_json(edit, points) for edit in data.get("edits", ())),
        settings=dict(data.get("settings", {})),
        fence=Fence.from_json(data["fence"]) if data.get("fence") else None,
        extra={k: v for k, v in data.items() if k not in _LAYER_FIELDS},
    )


def job_to_json(job: Job) -> dict:
    """The `job.json` of a job file; points are left out (see docs/format.md)."""
    return dict(job.extra) | {
        "id": job.id,
        "source": {
            "name": job.source.name, "width": job.source.width, "height": job.source.height,
            "sha256": job.source.sha256,
        },
        "brief": job.brief,
        "finds": None if job.finds is None else [find.to_json() for find in job.finds],
        "decisions": job.decisions,
        "face_map": None if job.face_map is None else job.face_map.to_json(),
        "stages": [
            dict(s.extra)
            | {"id": s.id, "on": s.on, "strength": s.strength, "layers": [layer_to_json(x) for x in s.layers]}
            for s in job.stages
        ],
    }


def source_from_json(document: dict) -> Source:
    """The photo that a document belongs to. Raises as `job_from_json`."""
    source = document["source"]
    return Source(str(source["name"]), int(source["width"]), int(source["height"]), str(source["sha256"]))


def job_from_json(data: dict, points: dict) -> Job:
    """Inverse of `job_to_json`. Raises KeyError, TypeError or ValueError on a damaged document."""
    by_id = {s["id"]: s for s in data["stages"]}
    stages = []
    for stage_id in STAGE_IDS:
        s = by_id.get(stage_id, {})
        stages.append(
            Stage(
                stage_id, bool(s.get("on", True)), min(1.0, max(0.0, float(s.get("strength", 1.0)))),
                tuple(layer_from_json(layer, points) for layer in s.get("layers", ())),
                {k: v for k, v in s.items() if k not in _STAGE_FIELDS},
            )
        )
    known = {"id", "source", "brief", "stages", "schema", "mimetype", "written_by", "finds", "decisions", "face_map"}
    finds, face_map = data.get("finds"), data.get("face_map")
    return Job(
        id=str(data["id"]),
        source=source_from_json(data),
        stages=tuple(stages),
        brief=dict(data.get("brief", {})),
        finds=None if finds is None else tuple(Find.from_json(f) for f in finds),
        decisions={str(k): str(v) for k, v in data.get("decisions", {}).items()},
        face_map=FaceMap.from_json(face_map) if face_map else None,
        extra={k: v for k, v in data.items() if k not in known},
    )


def same_document(a: Job, b: Job) -> bool:
    """True if two jobs hold the same recipe, points included."""
    if job_to_json(a) != job_to_json(b):
        return False
    return all(x is y or x.digest == y.digest for x, y in zip(a.edits(), b.edits()))
