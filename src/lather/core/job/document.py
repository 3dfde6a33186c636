"""The `job.json` of a job file (docs/format.md): jobs to plain values and back, every value checked on the way in.

What cannot be is left out and counted, so that the rest of a damaged job opens; what this version does not know is
kept and written back.
"""

import math
from collections import Counter
from dataclasses import replace
from typing import Any

from lather.core import ranges
from lather.core.errors import JobFileError, RequestError
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import DECISIONS, Find
from lather.core.job.known_kinds import layer_kinds
from lather.core.job.model import STAGE_IDS, Job, Layer, Source, Stage, Stroke, new_id
from lather.core.job.part_strokes import PartStroke
from lather.core.job.purpose import of_layer
from lather.core.job.unknown_fields import kept
from lather.core.phrases import joined, phrase
from lather.core.tools.registry import TOOLS

_MALFORMED = (RequestError, KeyError, TypeError, ValueError, AttributeError, IndexError, OverflowError)


_COUNTED = {
    "edit": lambda n: phrase("%n edits", n=n, one="%n edit"),
    "fence": lambda n: phrase("%n fences", n=n, one="%n fence"),
    "setting": lambda n: phrase("%n settings", n=n, one="%n setting"),
    "delivery size": lambda n: phrase("%n delivery sizes", n=n, one="%n delivery size"),
    "find": lambda n: phrase("%n finds", n=n, one="%n find"),
    "face map": lambda n: phrase("%n face maps", n=n, one="%n face map"),
}
"""What may be left out on reading, counted."""


class Reading(dict):
    """Points (n, 4) by stroke id, and what is made of them while a document and its undo list are read.

    What both share is made once. left_out: {kind of thing: ids} that could not be.
    """

    def __init__(self, points=()):
        super().__init__(points)
        self.made: dict[str, tuple[dict, Stroke]] = {}
        self.left_out: dict[str, set] = {}

    def leave_out(self, what: str, which: object) -> None:
        """Note that one thing of a kind could not be."""
        self.left_out.setdefault(what, set()).add(str(which)[:64])

    def notes(self) -> list[str]:
        """One sentence that counts what was left out; none where all could be read."""
        if not self.left_out:
            return []
        counts = joined((_COUNTED[what](len(ids)) for what, ids in self.left_out.items()), ", ")
        return [phrase("Values that cannot be were found in this job and left out (%1); the rest is as it was saved.",
                       counts)]


def layer_to_json(layer: Layer) -> dict:
    """Plain values of a layer, without the points of its strokes; unknown fields and edits go along."""
    data = dict(layer.extra) | {
        "id": layer.id, "name": layer.name, "kind": layer.kind, "on": layer.on, "strength": layer.strength,
        "named_by_person": layer.named_by_person,
        "edits": [*(edit.to_json() for edit in layer.edits), *layer.unknown_edits],
    }
    if layer.settings:
        data["settings"] = layer.settings
    if layer.fence is not None:
        data["fence"] = layer.fence.to_json()
    if layer.soften:
        data |= {"soften": layer.soften, "where": layer.where}
    if layer.purpose:
        data["purpose"] = layer.purpose
    return data


def stroke_from_json(data: dict, points: dict) -> Stroke:
    """The stroke of a document or a command; points: by stroke id. Raises as `Stroke.from_json`."""
    made = points.made if isinstance(points, Reading) else {}
    held = made.get(data["id"])
    if held is None or held[0] != data:
        held = made[data["id"]] = (data, Stroke.from_json(data, points[data["id"]]))
    return held[1]


def strokes_from_json(edits, points: dict) -> tuple[Stroke, ...]:
    """The strokes of a layer or a command that can be; what a `Reading` leaves out is counted there."""
    strokes = []
    for data in edits:
        try:
            strokes.append(stroke_from_json(data, points))
        except _MALFORMED:
            if not isinstance(points, Reading):
                raise
            points.leave_out("edit", data.get("id") if isinstance(data, dict) else data)
    return tuple(strokes)


def _known_edit(data: object) -> bool:
    """True for what this version should understand; an edit of another kind, or by another tool, is kept as it is."""
    return not isinstance(data, dict) or (data.get("kind", "stroke") == "stroke" and data.get("tool") in TOOLS)


def layer_from_json(data: dict, points: dict) -> Layer:
    """Raises KeyError, TypeError or ValueError for what is no layer at all."""
    kind = str(data.get("kind", "mend"))
    known: list[dict] = []
    unknown: list[dict] = []
    for edit in data.get("edits", ()):
        (known if kind in layer_kinds() and _known_edit(edit) else unknown).append(edit)
    kept({"edits": unknown})
    layer = Layer(
        id=str(data["id"])[:64], name=str(data["name"]), kind=kind, on=bool(data.get("on", True)),
        strength=_share(data.get("strength", 1.0)), named_by_person=bool(data.get("named_by_person", False)),
        edits=strokes_from_json(known, points), settings=_settings(data.get("settings", {}), kind, points),
        soften=str(data.get("soften", ""))[:64], where=str(data.get("where", ""))[:64], purpose=of_layer(data),
        unknown_edits=tuple(unknown),
        extra=kept(data, "id", "name", "kind", "on", "strength", "named_by_person", "edits", "settings", "fence",
                   "soften", "where", "purpose"),
    )
    if data.get("fence"):
        try:
            return replace(layer, fence=Fence.from_json(data["fence"]))
        except _MALFORMED:
            _left_out(points, "fence", layer.id)
            return replace(layer, on=False)  # its edits were not meant to reach outside it
    return layer


def _left_out(points: dict, what: str, which: object) -> None:
    if not isinstance(points, Reading):
        raise JobFileError(phrase("A %1 holds values that cannot be; open an earlier copy.", what))
    points.leave_out(what, which)


def _share(value: Any) -> float:
    number = float(value)
    return 1.0 if math.isnan(number) else min(1.0, max(0.0, number))


def _settings(data: dict, kind: str, points: dict) -> dict:
    """Settings of a layer less those that cannot be; a layer of an unknown kind keeps what it has."""
    settings = kept(dict(data))
    for parameter in layer_kinds().get(kind, ()):
        if parameter.id in settings:
            try:
                parameter.check(settings[parameter.id])
            except _MALFORMED:
                _left_out(points, "setting", parameter.id)
                del settings[parameter.id]
    return settings


def job_to_json(job: Job) -> dict:
    """The `job.json` of a job file; points are left out (see docs/format.md)."""
    return dict(job.extra) | {
        "id": job.id,
        "source": job.source.to_json(),
        "brief": job.brief,
        "finds": None if job.finds is None else [find.to_json() for find in job.finds],
        **({"left_alone": [find.to_json() for find in job.left_alone]} if job.left_alone else {}),
        "decisions": job.decisions,
        "face_map": None if job.face_map is None else job.face_map.to_json(),
        **({"other_faces": [face.to_json() for face in job.other_faces]} if job.other_faces else {}),
        **({"part_strokes": [stroke.to_json() for stroke in job.part_strokes]} if job.part_strokes else {}),
        "stages": [
            *(
                s.extra
                | {"id": s.id, "on": s.on, "strength": s.strength, "layers": [layer_to_json(x) for x in s.layers]}
                for s in job.stages
            ),
            *job.unknown_stages,
        ],
    }


def source_from_json(document: dict) -> Source:
    """The photo that a document belongs to. Raises as `job_from_json`."""
    return Source.from_json(document["source"])


def check_amounts(document: dict) -> None:
    """Raises JobFileError for a document that holds more than any retouch does: it is not read any further."""
    layers = [layer for stage in document["stages"] for layer in stage.get("layers", ())]
    edits = [len(layer.get("edits", ())) for layer in layers]
    for count, most, what in (
        (len(layers), ranges.MOST_LAYERS, "layers"), (sum(edits), ranges.MOST_EDITS, "edits"),
        (len(document.get("finds") or ()), ranges.MOST_FINDS, "finds"),
        (len(document.get("left_alone") or ()), ranges.MOST_FINDS, "finds left alone"),
        (len(document["stages"]), ranges.MOST_LAYERS, "stages"),
        (len(document.get("other_faces") or ()), ranges.MOST_FACES, "faces"),
        (len(document.get("part_strokes") or ()), ranges.MOST_PART_STROKES, "corrected parts"),
    ):
        if count > most:
            raise JobFileError(phrase("The job holds %1 %2, over the limit of %3; open an earlier copy.", f"{count:,}",
                                      what, f"{most:,}"))


def job_from_json(data: dict, points: dict) -> Job:
    """Inverse of `job_to_json`. Raises KeyError, TypeError, ValueError or LatherError on a damaged document."""
    check_amounts(data)
    by_id = {s["id"]: s for s in data["stages"]}
    job_id = str(data["id"])
    job = Job(
        id=job_id if ranges.ID.fullmatch(job_id) else new_id(),
        source=source_from_json(data),
        stages=tuple(_stage(stage_id, by_id.get(stage_id, {}), points) for stage_id in STAGE_IDS),
        brief=_brief(data.get("brief", {}), points),
        finds=None if data.get("finds") is None else _finds(data["finds"], points),
        left_alone=_finds(data.get("left_alone") or (), points),
        decisions={str(k): v for k, v in data.get("decisions", {}).items() if v in DECISIONS},
        face_map=_face_map(data["face_map"], points) if data.get("face_map") else None,
        other_faces=tuple(face for face in (_face_map(one, points) for one in data.get("other_faces", ())) if face),
        part_strokes=tuple(one for one in (_part_stroke(row, points) for row in data.get("part_strokes") or ()) if one),
        unknown_stages=tuple(s for s in data["stages"] if s["id"] not in STAGE_IDS),
        extra=kept(data, "id", "source", "brief", "stages", "schema", "mimetype", "written_by", "finds", "left_alone",
                   "decisions", "face_map", "other_faces", "part_strokes"),
    )
    kept({"stages": list(job.unknown_stages)})
    return _with_own_layer_ids(job)


def _stage(stage_id: str, data: dict, points: dict) -> Stage:
    return Stage(
        stage_id, bool(data.get("on", True)), _share(data.get("strength", 1.0)),
        tuple(layer_from_json(layer, points) for layer in data.get("layers", ())),
        kept(data, "id", "on", "strength", "layers"),
    )


def _with_own_layer_ids(job: Job) -> Job:
    """Layers are named by their ids: of two that bear the same one, the second gets a new one."""
    counts = Counter(layer.id for stage in job.stages for layer in stage.layers)
    if all(count == 1 for count in counts.values()):
        return job
    seen: set[str] = set()

    def own(layer: Layer) -> Layer:
        if layer.id in seen:
            return replace(layer, id=new_id())
        seen.add(layer.id)
        return layer

    stages = tuple(replace(stage, layers=tuple(own(layer) for layer in stage.layers)) for stage in job.stages)
    return replace(job, stages=stages)


_TEXTS = ("title", "frame", "kind", "client")
_DELIVERY = {
    "long_edge_px": ranges.DELIVERED_PX, "long_edge_mm": ranges.DELIVERED_MM, "distance_mm": ranges.DELIVERED_MM,
}


def _brief(data: dict, points: dict) -> dict:
    """The job sheet less the values that cannot be."""
    brief = kept(dict(data))
    for key, value in list(brief.items()):
        if key in _TEXTS and not isinstance(value, str):
            brief[key] = str(value)[:200] if isinstance(value, int | float) else ""
        elif key == "delivery" and not _is_delivery(value):
            _left_out(points, "delivery size", key)
            del brief[key]
    return brief


def _is_delivery(value: Any) -> bool:
    try:
        return value is None or (
            value.get("medium", "screen") in ("screen", "print")
            and all(value.get(key) is None or float(value[key]) in range_ for key, range_ in _DELIVERY.items())
        )
    except _MALFORMED:
        return False


def _finds(rows, points: dict) -> tuple[Find, ...]:
    finds = []
    for row in rows:
        try:
            finds.append(Find.from_json(row))
        except _MALFORMED:
            _left_out(points, "find", row.get("id") if isinstance(row, dict) else row)
    return tuple(finds)


def _face_map(data: dict, points: dict) -> FaceMap | None:
    try:
        return FaceMap.from_json(data)
    except _MALFORMED:
        _left_out(points, "face map", "face map")
        return None


def _part_stroke(data: dict, points: dict) -> PartStroke | None:
    try:
        return PartStroke.from_json(data)
    except _MALFORMED:
        _left_out(points, "corrected part", "corrected part")
        return None


def same_document(a: Job, b: Job) -> bool:
    """True if two jobs hold the same recipe, points included."""
    if job_to_json(a) != job_to_json(b):
        return False
    return all(x is y or x.digest == y.digest for x, y in zip(a.edits(), b.edits()))
