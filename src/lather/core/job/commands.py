"""Everything that changes a job, as named values that can be written down and played again.

Each command has `label` (for the undo menu, from `says`), `apply(job) -> job`, and a JSON form for the journal and the
job file's history.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, ClassVar

from lather.core.errors import RequestError
from lather.core.job.document import layer_from_json, layer_to_json, stroke_from_json, strokes_from_json
from lather.core.job.drawn_marks import BY_HAND
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import DECISIONS, Find
from lather.core.job.model import Job, Layer, Stroke
from lather.core.job.part_strokes import PartStroke
from lather.core.phrases import phrase


@dataclass(frozen=True)
class Command:
    """Base: subclasses are registered by their class name.

    read: {field: read(JSON value, points by stroke id)} of those fields that JSON holds as something else.
    """

    kinds: ClassVar[dict[str, type["Command"]]] = {}
    read: ClassVar[Mapping[str, Callable[[Any, dict], object]]] = {}
    says: ClassVar[str] = ""

    @property
    def label(self) -> str:
        """What was done, for the undo menu and the message line."""
        return self.says

    def __init_subclass__(cls, **kwargs):
        super().__init_subclass__(**kwargs)
        Command.kinds[cls.__name__] = cls

    def apply(self, job: Job) -> Job:
        """The job with this done to it. Raises KeyError where what it names is not there."""
        raise NotImplementedError

    def strokes(self) -> tuple[Stroke, ...]:
        """Strokes whose points must be kept with the command."""
        return ()

    def to_json(self) -> dict:
        """Its name and its fields, without the points of strokes."""
        data: dict = {"do": type(self).__name__}
        for f in fields(self):
            value = getattr(self, f.name)
            data[f.name] = _plain(value)
        return data


def _plain(value: object) -> object:
    """A command's value as JSON holds it."""
    if isinstance(value, Layer):
        return layer_to_json(value)
    if isinstance(value, tuple):
        return [_plain(x) for x in value]
    return value.to_json() if hasattr(value, "to_json") else value


def command_from_json(data: dict, points: dict) -> Command:
    """Inverse of `Command.to_json`. Raises RequestError for a command this version does not know."""
    kind = Command.kinds.get(data.get("do", ""))
    if kind is None:
        raise RequestError(phrase("The history holds a step “%1” that this version of Lather does not know.",
                                  data.get("do")))
    values = {f.name: data[f.name] for f in fields(kind) if f.name in data}
    for name, read in kind.read.items():
        if name in values:
            values[name] = read(values[name], points)
    return kind(**values)


def _faces(data: list | None, _points: dict) -> tuple[FaceMap, ...] | None:
    return None if data is None else tuple(FaceMap.from_json(one) for one in data)


def _find(data: dict, _points: dict) -> Find:
    return Find.from_json(data)


def _finds(data: list, _points: dict) -> tuple[Find, ...]:
    return tuple(Find.from_json(one) for one in data)


def _part_strokes(data: list, _points: dict) -> tuple[PartStroke, ...]:
    return tuple(PartStroke.from_json(one) for one in data)


def _face(data: dict | None, _points: dict) -> FaceMap | None:
    return FaceMap.from_json(data) if data else None


@dataclass(frozen=True)
class AddEdits(Command):
    """Edits laid on top of a layer."""

    stage_id: str
    layer_id: str
    edits: tuple[Stroke, ...]
    read: ClassVar = {"edits": strokes_from_json}

    @property
    def label(self) -> str:
        if not self.edits:  # they were left out on reading
            return "edits"
        tool = self.edits[0].tool.replace("_", " ")
        return tool if len(self.edits) == 1 else f"{len(self.edits)} × {tool}"

    def apply(self, job: Job) -> Job:
        layer = job.stage(self.stage_id).layer(self.layer_id)
        return job.with_layer(self.stage_id, replace(layer, edits=layer.edits + self.edits))

    def strokes(self):
        return self.edits


@dataclass(frozen=True)
class RemoveEdits(Command):
    """Edits taken out of a layer, wherever they stand in it."""

    stage_id: str
    layer_id: str
    edit_ids: tuple[str, ...]
    says: ClassVar[str] = "remove mend"
    read: ClassVar = {"edit_ids": lambda ids, _points: tuple(ids)}

    def apply(self, job: Job) -> Job:
        layer = job.stage(self.stage_id).layer(self.layer_id)
        kept = tuple(edit for edit in layer.edits if edit.id not in self.edit_ids)
        return job.with_layer(self.stage_id, replace(layer, edits=kept))


@dataclass(frozen=True)
class ReplaceEdit(Command):
    """An edit in the place of the one with the same id: another source, another size."""

    stage_id: str
    layer_id: str
    edit: Stroke
    read: ClassVar = {"edit": stroke_from_json}

    @property
    def label(self) -> str:
        return f"change {self.edit.tool.replace('_', ' ')}"

    def apply(self, job: Job) -> Job:
        layer = job.stage(self.stage_id).layer(self.layer_id)
        edits = tuple(self.edit if old.id == self.edit.id else old for old in layer.edits)
        return job.with_layer(self.stage_id, replace(layer, edits=edits))

    def strokes(self):
        return (self.edit,)


@dataclass(frozen=True)
class Together(Command):
    """Several commands as one undoable step."""

    name: str
    commands: tuple[Command, ...]
    read: ClassVar = {"commands": lambda steps, points: tuple(command_from_json(step, points) for step in steps)}

    @property
    def label(self) -> str:
        return self.name

    def apply(self, job: Job) -> Job:
        for command in self.commands:
            job = command.apply(job)
        return job

    def strokes(self):
        return tuple(stroke for command in self.commands for stroke in command.strokes())


@dataclass(frozen=True)
class SetFinds(Command):
    """What was found (again), and the faces it was found with; decisions on finds that are gone are forgotten. What a
    person outlined stays.
    """

    finds: tuple[Find, ...]
    face_map: FaceMap | None
    other_faces: tuple[FaceMap, ...] | None = None
    left_alone: tuple[Find, ...] = ()
    says: ClassVar[str] = "finds"
    read: ClassVar = {"finds": _finds, "face_map": _face, "other_faces": _faces, "left_alone": _finds}

    def apply(self, job: Job) -> Job:
        by_hand = [find for find in job.finds or () if find.id.startswith(BY_HAND)]
        finds = (*self.finds, *(find for find in by_hand if all(find.id != other.id for other in self.finds)))
        known = {find.id for find in finds}
        decisions = {k: v for k, v in job.decisions.items() if k in known}
        others = job.other_faces if self.other_faces is None else self.other_faces
        alone = tuple(find for find in self.left_alone if find.id not in known)
        return replace(job, finds=finds, face_map=self.face_map, other_faces=others, decisions=decisions,
                       left_alone=alone)


@dataclass(frozen=True)
class OutlineFind(Command):
    """A find that the person outlined; it is listed with those that were found."""

    find: Find
    says: ClassVar[str] = "outline drawn mark"
    read: ClassVar = {"find": _find}

    def apply(self, job: Job) -> Job:
        listed = replace(self.find, left_alone="")
        return replace(job, finds=(*(one for one in job.finds or () if one.id != listed.id), listed),
                       left_alone=tuple(one for one in job.left_alone if one.id != listed.id))


@dataclass(frozen=True)
class ListFind(OutlineFind):
    """A find that was left alone is listed all the same: somebody looked, and wants it."""

    says: ClassVar[str] = "list what was left alone"


@dataclass(frozen=True)
class SetFaceMap(Command):
    """A point of the face map dragged by the person, or another face taken in hand (then with all others)."""

    face_map: FaceMap
    other_faces: tuple[FaceMap, ...] | None = None
    read: ClassVar = {"face_map": _face, "other_faces": _faces}

    @property
    def label(self) -> str:
        return "face map" if self.other_faces is None else "face in hand"

    def apply(self, job: Job) -> Job:
        others = job.other_faces if self.other_faces is None else self.other_faces
        return replace(job, face_map=self.face_map, other_faces=others)


@dataclass(frozen=True)
class CorrectParts(Command):
    """What the person says of the parts of the photo, all strokes over them; none takes every correction back."""

    part_strokes: tuple[PartStroke, ...]
    says: ClassVar[str] = "correct parts"
    read: ClassVar = {"part_strokes": _part_strokes}

    def apply(self, job: Job) -> Job:
        return replace(job, part_strokes=self.part_strokes)


@dataclass(frozen=True)
class DecideFind(Command):
    """A find kept, skipped, or open again ("")."""

    find_id: str
    decision: str

    def __post_init__(self):
        if self.decision and self.decision not in DECISIONS:
            raise RequestError(phrase("“%1” is no decision on a find; choose from %2.", self.decision,
                                      ", ".join(DECISIONS)))

    @property
    def label(self) -> str:
        return {"keep": "keep find", "skip": "skip find"}.get(self.decision, "open find again")

    def apply(self, job: Job) -> Job:
        others = {k: v for k, v in job.decisions.items() if k != self.find_id}
        return replace(job, decisions=others | ({self.find_id: self.decision} if self.decision else {}))


@dataclass(frozen=True)
class AddLayer(Command):
    """A new layer at a place in its stage (0 = bottom)."""

    stage_id: str
    layer: Layer
    index: int
    says: ClassVar[str] = "new layer"
    read: ClassVar = {"layer": layer_from_json}

    def apply(self, job: Job) -> Job:
        stage = job.stage(self.stage_id)
        layers = (*stage.layers[: self.index], self.layer, *stage.layers[self.index :])
        return job.with_stage(replace(stage, layers=layers))

    def strokes(self):
        return self.layer.edits


@dataclass(frozen=True)
class RemoveLayer(Command):
    """A layer taken away with its edits."""

    stage_id: str
    layer_id: str
    says: ClassVar[str] = "remove layer"

    def apply(self, job: Job) -> Job:
        stage = job.stage(self.stage_id)
        return job.with_stage(replace(stage, layers=tuple(x for x in stage.layers if x.id != self.layer_id)))


@dataclass(frozen=True)
class MoveLayer(Command):
    """A layer moved to another place in its stage (0 = bottom)."""

    stage_id: str
    layer_id: str
    index: int
    says: ClassVar[str] = "move layer"

    def apply(self, job: Job) -> Job:
        stage = job.stage(self.stage_id)
        layer = stage.layer(self.layer_id)
        others = [x for x in stage.layers if x.id != self.layer_id]
        others.insert(self.index, layer)
        return job.with_stage(replace(stage, layers=tuple(others)))


@dataclass(frozen=True)
class SetLayer(Command):
    """One value of a layer: `name`, `on`, `strength` (0-1), `settings` (plain values laid over the
    present ones), or `fence` (a Fence, or None).
    """

    stage_id: str
    layer_id: str
    field: str
    value: Any

    def __post_init__(self):
        if self.field == "fence" and not isinstance(self.value, Fence | None):  # as JSON holds it
            object.__setattr__(self, "value", Fence.from_json(self.value))

    @property
    def label(self) -> str:
        labels = {"name": "rename layer", "on": "layer on/off", "strength": "layer strength"}
        return labels.get(self.field, "layer settings")

    def apply(self, job: Job) -> Job:
        layer = job.stage(self.stage_id).layer(self.layer_id)
        changes: dict[str, Any] = {self.field: layer.settings | self.value if self.field == "settings" else self.value}
        if self.field == "name":
            changes["named_by_person"] = True
        return job.with_layer(self.stage_id, replace(layer, **changes))


@dataclass(frozen=True)
class SetStage(Command):
    """One value of a stage: `on` or `strength` (0-1)."""

    stage_id: str
    field: str
    value: Any

    @property
    def label(self) -> str:
        return {"on": "stage on/off", "strength": "stage strength"}[self.field]

    def apply(self, job: Job) -> Job:
        return job.with_stage(replace(job.stage(self.stage_id), **{str(self.field): self.value}))


@dataclass(frozen=True)
class SetBrief(Command):
    """One line of the job sheet."""

    key: str
    value: object
    says: ClassVar[str] = "job sheet"

    def apply(self, job: Job) -> Job:
        return replace(job, brief=job.brief | {self.key: self.value})


def merges(first: Command, second: Command) -> bool:
    """True if `second` only goes on with `first` (a slider still being dragged)."""
    if isinstance(first, Together) and isinstance(second, Together):
        return len(first.commands) == len(second.commands) and all(map(merges, first.commands, second.commands))
    if isinstance(first, ReplaceEdit) and isinstance(second, ReplaceEdit):
        return replace(first, edit=second.edit) == second and first.edit.id == second.edit.id
    return (
        isinstance(second, SetLayer | SetStage)
        and type(first) is type(second)
        and second.field in ("strength", "settings")
        and replace(first, value=None) == replace(second, value=None)
    )
