"""The same retouch on the photo developed anew: every edit carried over, everything solved on the new pixels."""

import time
from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from lather.core.engine.photo import Photo
from lather.core.errors import Cancelled
from lather.core.find.visibility import Delivery, judged
from lather.core.imageio.development import DEVELOPMENT
from lather.core.job.history import History
from lather.core.job.model import Job, Layer, Stage, Stroke, new_id
from lather.core.log import timed
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.sitting.carry_report import KEEPER, KEY, NO_SOURCE, OUTSIDE, Carried, Look, name_of
from lather.core.sitting.frame_map import FrameMap, scale_of
from lather.core.sitting.moved_edits import (
    moved_face,
    moved_fence,
    moved_find,
    moved_part,
    moved_settings,
    moved_stroke,
)
from lather.core.sitting.register import same_shot
from lather.core.sitting.remeasured_layers import measured_on
from lather.core.stages.mend.dab import source_candidates, with_source
from lather.core.tools.registry import TOOLS

_KEEPER_SHARE = 0.5  # of a keeper's contrast that must be seen again
_LEAST_KEEPER_DE = 1.0


@timed("played again")
def replay(session: Session, photo: Photo, progress: Callable[[float], bool] | None = None, *,
           brief: Mapping | None = None) -> Session:
    """The job of a session on its photo developed anew. What a person should look at stands in the job sheet
    (`looks.carried_of`). progress(share) returning False cancels. brief: of the other development, such as how a raw
    file was developed; the rest of the sheet is the old job's.

    Raises RequestError where the photo shows another shot, or Cancelled.
    """
    start = time.monotonic()
    _tell(progress, 0.0)
    frames = same_shot(session.photo, photo)
    _tell(progress, 0.4)
    one = _Replay(session, photo, frames, progress)
    job, carried = one.job(), one.carried(time.monotonic() - start)
    kept = {key: value for key, value in job.brief.items() if key != DEVELOPMENT}
    job = replace(job, brief=kept | dict(brief or {}) | {KEY: carried.to_json()})
    return Session(photo, History(job))


def _tell(progress: Callable[[float], bool] | None, share: float) -> None:
    if progress and not progress(share):
        raise Cancelled("It was stopped; nothing was changed.")


class _Replay:
    """One job carried by a map."""

    def __init__(self, session: Session, photo: Photo, frames: FrameMap, progress):
        self._from, self._photo, self._frames, self._progress = session, photo, frames, progress
        self._looks: list[Look] = []
        self._stages: dict[str, tuple[int, int]] = {}
        old = session.job
        self._scale = scale_of(frames.linear(session.photo.width / 2, session.photo.height / 2))
        finds = [moved_find(find, frames) for find in old.finds or ()]
        bounds = photo.bounds
        inside = [find for find in finds if 0 <= find.x < bounds.x1 and 0 <= find.y < bounds.y1]
        faces = [moved_face(face, frames) for face in (old.face_map, *old.other_faces) if face is not None]
        known = {find.id for find in inside}
        self._job = replace(
            Job(new_id(), photo.source), brief=_moved_brief(old.brief, frames),
            finds=None if old.finds is None else judged(tuple(inside), Delivery(), max(photo.width, photo.height)),
            decisions={name: said for name, said in old.decisions.items() if name in known},
            face_map=faces[0] if old.face_map is not None else None,
            other_faces=tuple(faces[1:] if old.face_map is not None else faces),
            part_strokes=tuple(moved_part(stroke, frames) for stroke in old.part_strokes), extra=old.extra,
            unknown_stages=old.unknown_stages)
        self._session = Session(photo, History(self._job))
        self._was = PhotoMeasures.of_job(session.photo, old)
        self._here = PhotoMeasures.of_job(photo, self._job)

    def job(self) -> Job:
        wanted = sum(len(stage.layers) for stage in self._from.job.stages) or 1
        done = 0
        for stage in self._from.job.stages:
            own = replace(stage, layers=())
            self._job = self._job.with_stage(own)
            counts = [0, 0]
            for layer in stage.layers:
                moved = self._moved_layer(stage, layer)
                counts[0] += len(moved.edits) or not layer.edits
                counts[1] += len(layer.edits) or 1
                own = replace(own, layers=(*own.layers, moved))
                self._job = self._job.with_stage(own)
                self._measure(stage, moved)
                own = self._job.stage(stage.id)
                done += 1
                _tell(self._progress, 0.4 + 0.6 * done / wanted)
            if any(layer.edits or layer.settings for layer in stage.layers):
                self._stages[stage.id] = (counts[0], counts[1])
        self._check_keepers()
        return self._job

    def carried(self, seconds: float) -> Carried:
        keepers = self._job.keepers()
        lost = sum(look.what == KEEPER for look in self._looks)
        return Carried(self._from.photo.name, self._stages, {}, (len(keepers) - lost, len(keepers)),
                       tuple(self._looks), seconds)

    def _moved_layer(self, stage: Stage, layer: Layer) -> Layer:
        settings = moved_settings(stage.id, layer, self._frames, self._scale)
        fence = moved_fence(layer.fence, self._frames) if layer.fence is not None else None
        bare = replace(layer, settings=settings, fence=fence, edits=())
        stage_so_far = self._job.stage(stage.id)
        self._job = self._job.with_stage(replace(stage_so_far, layers=(*stage_so_far.layers, bare)))
        for edit in layer.edits:
            moved = self._checked(bare, moved_stroke(edit, self._frames, self._from.photo.name), edit)
            if moved is not None:
                bare = replace(bare, edits=(*bare.edits, moved))
                if moved.offset is not None:  # the next one looks for its source on what this one has done
                    self._job = self._job.with_layer(stage.id, bare)
        self._job = self._job.with_stage(stage_so_far)
        return bare

    def _checked(self, layer: Layer, stroke: Stroke, was: Stroke) -> Stroke | None:
        """The stroke, with another source if its own is cut off; None where it lies outside the picture."""
        bounds, (x, y) = self._photo.bounds, stroke.points[:, :2].mean(0).astype(float)
        name = (stroke.note or TOOLS[stroke.tool].label).capitalize()
        if stroke.bounds.intersect(bounds).empty:
            self._looks.append(Look(OUTSIDE, name, "it lies outside this picture and was left out"))
            return None
        if stroke.offset is None:
            return stroke
        area = stroke.bounds.intersect(bounds)
        source = stroke.source_rect(area)
        if source == source.intersect(bounds):
            return stroke
        found = source_candidates(self._session.engine, self._job, layer.id, replace(stroke, turn=None),
                                  avoid=self._job.finds or ())
        better = with_source(replace(stroke, turn=None), found)
        if better is None:
            self._looks.append(Look(NO_SOURCE, name, "its source lies outside this picture, and no other skin fits",
                                    x, y, stroke.brush.size_px, stroke.find))
            return None
        self._looks.append(Look(NO_SOURCE, name, "its source lies outside this picture; other skin was taken",
                                x, y, stroke.brush.size_px, stroke.find))
        return better

    def _measure(self, stage: Stage, layer: Layer) -> None:
        self._job = self._job.with_layer(stage.id, measured_on(
            self._session.engine, self._job, stage.id, layer, self._here, self._was))

    def _check_keepers(self) -> None:
        """Keepers that are not seen where they should be."""
        old = {find.id: find for find in self._from.job.finds or ()}
        for find in self._job.keepers():
            was = old[find.id]
            before = find_contrast(was, self._from.photo.read, self._from.photo.bounds, self._from.photo.profile)
            now = find_contrast(find, self._photo.read, self._photo.bounds, self._photo.profile)
            if abs(before) > _LEAST_KEEPER_DE and now / before < _KEEPER_SHARE:
                self._looks.append(Look(
                    KEEPER, name_of(find), phrase("%1 % of it is seen here",
                                                  f"{100 * max(0.0, now / before):.0f}"), find.x, find.y,
                    find.size_px, find.id, (was.x, was.y, was.size_px), max(0.0, now / before)))


def _moved_brief(brief: dict, frames: FrameMap) -> dict:
    """The job sheet, with what is pinned on the photo."""
    remarks = []
    for row in brief.get("remarks") or ():
        if isinstance(row, dict) and row.get("x") is not None and row.get("y") is not None:
            (x, y), = frames.places(np.array([[float(row["x"]), float(row["y"])]]))
            row = row | {"x": round(float(x), 1), "y": round(float(y), 1)}
        remarks.append(row)
    return brief | ({"remarks": remarks} if remarks else {})
