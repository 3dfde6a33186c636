"""Evening what was found: an outline over each blotch, at a share of what is needed."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.drawn_marks import clipped, drawn_marks, grown, lies_on, reaches
from lather.core.job.finds import Find
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import ALL_SKIN, of_find
from lather.core.kinds.registry import kind_of
from lather.core.mending.source_of_tone import circle, sparing, with_holes
from lather.core.phrases import phrase
from lather.core.stages.even.kind import BOTH, LIFTING, LOWERING
from lather.core.tools.lift import ASSISTED
from lather.core.types import Rect

SHARE = 0.8  # of what is needed, to begin with: perfectly even skin is nobody's
_FEATHER = 0.25  # of a blotch's size
_ROOM = 0.06  # of the largest side, around all that is known
_MARK_ROOM, _USUAL_FACE = 0.05, 0.2  # of the face's width, around a drawn mark; of the picture, where there is no face
_STAYS = 0.75  # of the size of what stays, around its middle
_KINDS = ("blotch_dark", "blotch_bright")
_NAMES = {BOTH: "Lift and lower", LIFTING: "Lift", LOWERING: "Lower"}


def even_stroke(find: Find, share: float = SHARE) -> Stroke:
    """Evens one blotch."""
    points = freeze_points([(x, y, 1.0, 0.0) for x, y in find.outline])
    brush = Brush(size_px=max(1.0, find.size_px), edge=1.0, ceiling=share)
    return Stroke(new_id(), "even_area", brush, points, mode=ASSISTED, note=find.label.lower(), find=find.id,
                  purpose=of_find(find.kind), feather=max(1.0, _FEATHER * find.size_px))


def layer_for_side(job: Job, side: str, default_layer_id: str = "") -> tuple[Layer, AddLayer | None]:
    """The layer in hand if it takes what goes to a side, else the topmost one that does, else a new one. side: BOTH,
    LIFTING or LOWERING.
    """
    layers = [one for one in job.stage("even").layers if one.kind == "even"]
    fitting = [one for one in layers if one.settings.get("side", BOTH) in (side, BOTH)]
    if fitting:
        return next((one for one in fitting if one.id == default_layer_id), fitting[-1]), None
    layer = Layer(new_id(), _NAMES[side], "even", settings={"side": side})
    return layer, AddLayer("even", layer, len(job.stage("even").layers))


def side_of(find: Find, apart: bool) -> str:
    """The side of the layer that a find goes to. apart: lifting and lowering are kept on two layers."""
    if not apart:
        return BOTH
    return LIFTING if find.kind == "blotch_dark" else LOWERING


def even_command(job: Job, finds: Sequence[Find], default_layer_id: str = "", *, share: float = SHARE,
                 apart: bool | None = None) -> Command | None:
    """One undoable step that evens blotches, dark ones first. apart: None goes by the layers that are there.

    None if there is nothing to even.
    """
    finds = sorted(finds, key=lambda find: find.kind != "blotch_dark")
    apart = _kept_apart(job) if apart is None else apart
    keepers = job.keepers()
    by_side: dict[str, list[Stroke]] = {}
    marks = drawn_marks(job)
    for find in finds:
        stroke = sparing(keepers, find, even_stroke(find, share))
        if not reaches(marks, stroke):
            by_side.setdefault(side_of(find, apart), []).append(stroke)
    return _laid(job, by_side, default_layer_id, "even" if len(finds) == 1 else phrase("even %1 blotches", len(finds)))


def even_all_command(job: Job, bounds: Rect, default_layer_id: str = "", *, share: float = SHARE,
                     apart: bool | None = None) -> Command | None:
    """One undoable step that evens all bare skin of the faces and wherever something was found, listed or not: what is
    not needed is not laid down. Keepers, blotches that were kept or skipped, and what is softened, not deleted, in Mend
    are left out.

    None where no face is known and nothing was found.
    """
    blotches = [find for find in job.finds or () if find.kind in _KINDS]
    faces = [face for face in (job.face_map, *job.other_faces) if face is not None]
    places = [place for find in blotches for place in ((find.x, find.y), *find.outline)]
    places += [tuple(p) for face in faces for p in face.mesh_px]
    places += [point for face in faces for point in face.points.values()]
    if not places:
        return None
    low, high = np.min(places, axis=0), np.max(places, axis=0)
    room = _ROOM * max(high - low)
    (x0, y0), (x1, y1) = low - room, high + room
    rim = [(max(x0, bounds.x0), max(y0, bounds.y0)), (min(x1, bounds.x1), max(y0, bounds.y0)),
           (min(x1, bounds.x1), min(y1, bounds.y1)), (max(x0, bounds.x0), min(y1, bounds.y1))]
    stays = [find for find in blotches if job.find_state(find) in ("keep", "skip")]
    marks = drawn_marks(job)
    holes = [circle(find.x, find.y, _STAYS * max(find.size_px, 4.0)) for find in (*job.keepers(), *stays)
             if find not in marks and not lies_on(marks, find)]
    area = Rect(int(rim[0][0]), int(rim[0][1]), int(rim[2][0]), int(rim[2][1]))
    around = max((face.width_px for face in faces), default=_USUAL_FACE * max(bounds.width, bounds.height))
    holes += [clipped(grown(mark, _MARK_ROOM * around), area) for mark in marks]
    brush = Brush(size_px=max(1.0, room), edge=1.0, ceiling=share)
    stroke = Stroke(new_id(), "even_area", brush, freeze_points([(x, y, 1.0, 0.0) for x, y in rim]), mode=ASSISTED,
                    note="all skin", purpose=ALL_SKIN, feather=max(1.0, room))
    holes += [tuple(find.outline) for find in job.finds or () if kind_of(find.kind).softened and len(find.outline) > 2
              and not lies_on(marks, find)]
    stroke = with_holes(stroke, holes)
    apart = _kept_apart(job) if apart is None else apart
    sides = (LIFTING, LOWERING) if apart else (BOTH,)
    return _laid(job, {side: [replace(stroke, id=new_id())] for side in sides}, default_layer_id, "even all skin")


def _kept_apart(job: Job) -> bool:
    return any(one.settings.get("side", BOTH) != BOTH for one in job.stage("even").layers)


def _laid(job: Job, by_side: dict[str, list[Stroke]], default_layer_id: str, name: str) -> Command | None:
    commands: list[Command] = []
    for side, strokes in by_side.items():
        layer, make = layer_for_side(job, side, default_layer_id)
        if make is not None:
            commands.append(make)
            job = make.apply(job)
        commands.append(AddEdits("even", layer.id, tuple(strokes)))
    return Together(name, tuple(commands)) if len(commands) > 1 else commands[0] if commands else None
