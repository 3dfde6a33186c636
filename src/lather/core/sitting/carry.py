"""From a finished frame to another photo of the same person.

What is skin's own is recognised and decided alike: keepers stay, what was mended is mended on the other frame's own
pixels. What lies on the face is moved by its points. What belongs to one frame only (stray hairs, cloth, the light that
is needed) is found anew. Every edit is an ordinary one.
"""

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lather.core.engine.photo import Photo
from lather.core.errors import Cancelled, RequestError
from lather.core.find.finder import look_at
from lather.core.job.commands import Command
from lather.core.job.drawn_marks import drawn_marks, lies_on, outlined
from lather.core.job.face_map import FaceMap
from lather.core.job.finds import WANTED_GONE, Find
from lather.core.job.history import History
from lather.core.job.model import Job, Layer, Stage, Stroke, acts_by_itself, new_id
from lather.core.job.purpose import ALL_SKIN
from lather.core.kinds.registry import kind_of, stage_of_kind
from lather.core.log import timed
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import can_mend, layer_for, mend_command
from lather.core.mending.even_blotches import even_all_command, even_command
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.sitting.carry_report import HIDDEN, KEEPER, KEY, LEFT_OUT, UNSURE, Carried, Look, name_of
from lather.core.sitting.frame_map import FrameMap, scale_of
from lather.core.sitting.matching import Match, Matcher
from lather.core.sitting.moved_edits import moved_fence, moved_find, moved_settings, moved_stroke
from lather.core.sitting.register import same_person
from lather.core.sitting.remeasured_layers import measured_on
from lather.core.sitting.skin_alike import held_alike, retouched_skin
from lather.core.tools.registry import TOOLS

_OF_THE_PERSON = ("title", "client", "kind", "route", "agreed", "outputs", "rate_cents", "currency", "price_cents")
_ANEW = ("stray_hair", "brow_hair", "cloth_speck", "lens_mark", "intruder")
_SURE = 0.6  # alike from which nobody is asked
_LEAST_KNOWN = 0.05  # of the points of the face that must be sure, or the person is doubted
_TRUSTED = 0.35  # of the map, from which a stroke by hand is moved with it
_MOVED_STAGES = ("split", "even", "sculpt", "colour", "shape", "grain", "crisp", "finish")
_EVERYWHERE = ("tone", "tints", "pool", "mono")  # kinds that need neither strokes nor zones
_HAND_SIZE = 0.7  # of a brush: the spot that it was laid on by hand
_MOST_HAND = 3.0  # sizes of a brush that its stroke may be long, to be of a spot


@timed("carried")
def carry(
    finished: Session, photo: Photo, progress: Callable[[float], bool] | None = None, *,
    measures: PhotoMeasures | None = None,
) -> Session:
    """A session on another photo of the person with what could be carried over; what a person should look at stands
    in its job sheet (`looks.carried_of`). measures: of the finished photo.

    Raises RequestError where one of the photos shows no face, or Cancelled.
    """
    began = time.monotonic()
    _tell(progress, 0.0)
    found = look_at(photo, progress=None if progress is None else lambda share, _: progress(0.4 * share))
    here, base = found.measures, found.command.apply(Job(new_id(), photo.source))
    _tell(progress, 0.4)
    was = measures or PhotoMeasures.of_job(finished.photo, finished.job)
    frames = same_person(was, here)
    _tell(progress, 0.6)
    brief = {name: finished.job.brief[name] for name in _OF_THE_PERSON if name in finished.job.brief}
    one = _Carry(finished, replace(base, brief=brief), photo, frames, was, here, progress)
    one.run()
    told = one.told(time.monotonic() - began)
    job = replace(one.job, brief=one.job.brief | {KEY: told.to_json()})
    return Session(photo, History(job))


def _tell(progress: Callable[[float], bool] | None, share: float) -> None:
    if progress and not progress(share):
        raise Cancelled("It was stopped; nothing was changed.")


class _Carry:
    def __init__(self, finished: Session, base: Job, photo: Photo, frames: FrameMap, was: PhotoMeasures,
                 here: PhotoMeasures, progress):
        self._from, self._frames, self._was, self._here, self._progress = finished, frames, was, here, progress
        self._name = finished.photo.name
        if was.face is None:
            raise RequestError("A retouch is carried over by the points of the face; none were found in the finished "
                               "photo. Drag the face map there and try again.")
        self._face: FaceMap = was.face
        self._scale = scale_of(frames.linear(*self._face.frame[0]))
        bare = tuple(Stage(stage.id, stage.on, stage.strength) for stage in finished.job.stages)
        self.job = replace(base, stages=bare)
        self._session = Session(photo, History(self.job))
        self._layers = self._empty_layers()
        self._matcher = Matcher(finished.photo, photo, frames, base.finds or (), here.face_width_px)
        self._looks: list[Look] = []
        self._stages: dict[str, list[int]] = {}
        self._anew: dict[str, int] = {}
        self._keepers = [0, 0]

    def _empty_layers(self) -> dict[str, str]:
        """{layer of Mend there: its empty counterpart here}, as strong; what is softened gets layers of its own."""
        made = {}
        for layer in self._from.job.stage("mend").layers:
            if layer.kind == "mend" and not layer.soften:
                fence = moved_fence(layer.fence, self._frames) if layer.fence is not None else None
                own = replace(layer, id=new_id(), edits=(), fence=fence)
                stage = self.job.stage("mend")
                self.job = self.job.with_stage(replace(stage, layers=(*stage.layers, own)))
                made[layer.id] = own.id
        return made

    def run(self) -> None:
        self._doubt_the_person()
        self._recognise_keepers()
        _tell(self._progress, 0.65)
        self._mend()
        _tell(self._progress, 0.85)
        self._find_anew()
        for stage_id in _MOVED_STAGES:
            self._move(self._from.job.stage(stage_id))
        self._keep_one_mend_layer()
        _tell(self._progress, 0.95)
        wanted = retouched_skin(self._from.engine, self._from.job, self._was)
        if wanted is not None:
            self.job = held_alike(self._session.engine, self.job, self._here, wanted, self._name)
        _tell(self._progress, 1.0)

    def told(self, seconds: float) -> Carried:
        stages = {name: (a, b) for name, (a, b) in self._stages.items() if b}
        return Carried(self._name, stages, self._anew, (self._keepers[0], self._keepers[1]), tuple(self._looks),
                       seconds)

    def _doubt_the_person(self) -> None:
        """Where hardly any skin of the face is found again, somebody should say whether it is the same person."""
        sure = float((self._frames.sure(self._face.mesh_px) > _TRUSTED).mean())
        if sure < _LEAST_KNOWN:
            self._looks.append(Look(UNSURE, "The person", "hardly any of the skin is found again: is it the same one?",
                                    alike=sure))

    # keepers

    def _recognise_keepers(self) -> None:
        """Each stays on this frame too; those that are not seen are told."""
        marks = drawn_marks(self._from.job)
        for mark in marks:
            self._keepers[1] += 1
            self._keepers[0] += self._take_mark(mark)
        for find in self._matcher.in_order([one for one in self._from.job.keepers() if one not in marks]):
            match = self._matcher.match(find)
            self._keepers[1] += 1
            if match is not None and match.alike < _SURE and not kind_of(match.find.kind).keeper:
                self._matcher.give_back(match)  # a spot near its place that does not look like it
                match = None
            if match is None:
                self._look(HIDDEN, find, "it is not seen here")
                continue
            self._keepers[0] += match.alike >= _SURE
            self._adopt(match.find)
            self.job = replace(self.job, decisions=self.job.decisions | {match.find.id: "keep"})
            if match.alike < _SURE:
                self._look(KEEPER, find, phrase("%1 % alike", f"{100 * match.alike:.0f}"), match)

    def _take_mark(self, mark: Find) -> bool:
        """A drawn mark is where its outline goes; one that was found there as well is that one."""
        moved, bounds = moved_find(mark, self._frames), self._session.photo.bounds
        if not (bounds.x0 <= moved.x < bounds.x1 and bounds.y0 <= moved.y < bounds.y1):
            self._look(HIDDEN, mark, "it is not seen here")
            return False
        here = outlined(moved.outline)
        own = tuple(find for find in self.job.finds or () if find.kind == "drawn_mark" and lies_on((here,), find))
        for find in own or (here,):
            self._adopt(find)
            self.job = replace(self.job, decisions=self.job.decisions | {find.id: "keep"})
        if not own:
            self._look(KEEPER, mark, "its outline was carried over")
        return True

    def _adopt(self, find: Find) -> None:
        """A find that the finder had not, put into the list."""
        if all(find.id != known.id for known in self.job.finds or ()):
            self.job = replace(self.job, finds=(*(self.job.finds or ()), find))

    # mend

    def _mend(self) -> None:
        """What was mended there is looked for here and mended on this frame's own pixels."""
        old = self._from.job
        wanted: dict[str, tuple[Find, str, Layer]] = {}
        finds = {find.id: find for find in old.finds or ()}
        for stage_id in ("mend", "colour"):
            for layer in old.stage(stage_id).layers:
                for edit in layer.edits if layer.on and layer.kind in ("mend", "calm", "shine") else ():
                    find = finds.get(edit.find) or self._by_hand(edit, layer)
                    if find is not None and find.kind not in _ANEW:
                        wanted.setdefault(find.id, (find, stage_id, layer))
        for find in self._matcher.in_order([find for find, _, _ in wanted.values()]):
            _, stage_id, layer = wanted[find.id]
            count = self._stages.setdefault(stage_id, [0, 0])
            count[1] += 1
            count[0] += self._mend_one(find, stage_id, layer)

    def _by_hand(self, edit: Stroke, layer: Layer) -> Find | None:
        """The spot that a short stroke was laid on by hand; any other one is of its own frame, and is told of."""
        tool = TOOLS[edit.tool]
        if layer.kind != "mend":  # masks of Colour are moved
            return None
        low, high = edit.points[:, :2].min(0), edit.points[:, :2].max(0)
        size, long = edit.brush.size_px, float(np.hypot(*(high - low)))
        (x, y) = (float(v) for v in (low + high) / 2)
        if not tool.mends or edit.by_outline or long > _MOST_HAND * size or not self._face.holds(x, y):
            self._looks.append(Look(LEFT_OUT, phrase("%1 by hand",
                                                     tool.label), "it is of its own frame and was left out",
                                    was=(x, y, size)))
            self._stages.setdefault("mend", [0, 0])[1] += 1
            return None
        return Find(f"hand-{edit.id}", "blemish_dark", x, y, _HAND_SIZE * size, 4.0, 0.5, self._face.zone_at(x, y))

    def _mend_one(self, find: Find, stage_id: str, layer: Layer) -> bool:
        match = self._matcher.match(find)
        if match is None:
            self._look(HIDDEN, find, "it is not seen here")
            return False
        if self.job.find_state(match.find) == "keep" and not self._wanted_gone(find):
            self._look(KEEPER, find, phrase("mended on %1, but here it looks like a mark that stays",
                                            self._name), match)
            return False
        self._adopt(match.find)
        if kind_of(match.find.kind).keeper:
            self.job = replace(self.job, decisions=self.job.decisions | {match.find.id: WANTED_GONE})
        if not can_mend(match.find):
            self._look(LEFT_OUT, find, "it is to be mended by hand", match)
            return False
        command = mend_command(self._session.engine, self.job, match.find,
                               self._layers.get(layer.id) or self._default_layer(stage_id))
        if command is None:
            self._look(UNSURE, find, "no skin near it fits" if match.seen else "it is too faint here", match)
            return False
        self._do(command)
        if layer.soften:
            self._as_strong(match.find, layer)
        if match.alike < _SURE:
            self._look(UNSURE, find, phrase("%1 % alike", f"{100 * match.alike:.0f}"), match)
        return True

    def _wanted_gone(self, find: Find) -> bool:
        return self._from.job.decisions.get(find.id) == WANTED_GONE or find.id.startswith("hand-")

    def _default_layer(self, stage_id: str) -> str:
        layers = self.job.stage(stage_id).layers
        return layers[0].id if layers else ""

    def _as_strong(self, find: Find, layer: Layer) -> None:
        """The layer that softens it, at the strength the person chose."""
        place = layer_for(self.job, find, "", "mend")
        if place.make is None:
            own = self.job.stage("mend").layer(place.layer_id)
            self.job = self.job.with_layer("mend", replace(own, strength=layer.strength, on=layer.on, name=layer.name))

    def _do(self, command: Command) -> None:
        """A command whose edits are marked as carried."""
        known = {edit.id for edit in self.job.edits()}
        self.job = _marked(command.apply(self.job), known, self._name)

    # found anew

    def _find_anew(self) -> None:
        """Stray hairs, specks and lens marks: all that will show of the kinds that were mended on the first frame."""
        mended = self._from.job.mended_finds()
        kinds = {find.kind for find in self._from.job.finds or () if find.id in mended and find.kind in _ANEW}
        for find in self.job.finds or ():
            if find.kind not in kinds or not find.worth or self.job.find_state(find) != "open":
                continue
            stage_id = stage_of_kind(find.kind)
            command = mend_command(self._session.engine, self.job, find, self._default_layer(stage_id), stage_id)
            if command is not None:
                self._do(command)
                self._anew[stage_id] = self._anew.get(stage_id, 0) + 1
        self._even_anew()

    def _even_anew(self) -> None:
        """The light that is needed is this frame's own."""
        strokes = [edit for layer in self._from.job.stage("even").layers if layer.on for edit in layer.edits
                   if edit.tool == "even_area"]
        if not strokes:
            return
        share = float(np.median([edit.brush.ceiling for edit in strokes]))
        if any(edit.purpose == ALL_SKIN for edit in strokes):
            command = even_all_command(self.job, self._here.photo.bounds, share=share)
        else:
            blotches = [find for find in self.job.finds or () if find.worth and stage_of_kind(find.kind) == "even"
                        and self.job.find_state(find) == "open"]
            command = even_command(self.job, blotches, share=share)
        if command is not None:
            before = self.job.edit_count
            self._do(command)
            self._anew["even"] = self.job.edit_count - before

    # moved by the points of the face

    def _move(self, stage: Stage) -> None:
        for layer in stage.layers:
            edits = [edit for edit in layer.edits if not edit.find and edit.tool != "even_area"]
            acts = bool(edits) or acts_by_itself(layer) or layer.kind in _EVERYWHERE
            if not (layer.on and acts):
                continue
            moved = [self._moved(stage, edit) for edit in edits]
            count = self._stages.setdefault(stage.id, [0, 0])
            count[0] += sum(one is not None for one in moved) or not edits
            count[1] += len(edits) or 1
            fence = moved_fence(layer.fence, self._frames) if layer.fence is not None else None
            carried = replace(layer, id=new_id(), settings=moved_settings(stage.id, layer, self._frames, self._scale),
                              fence=fence, edits=tuple(one for one in moved if one is not None))
            if edits and not carried.edits:
                continue
            own = self.job.stage(stage.id)
            self.job = self.job.with_stage(replace(own, layers=(*own.layers, carried)))
            self.job = self.job.with_layer(stage.id, measured_on(
                self._session.engine, self.job, stage.id, carried, self._here, self._was))

    def _moved(self, stage: Stage, edit: Stroke) -> Stroke | None:
        """A stroke by hand, moved; None where nothing tells where its skin lies."""
        places = edit.points[:, :2].astype(float)
        sure = float(np.median(self._frames.sure(places)))
        on_face = self._face.holds(*places.mean(0))
        moved = moved_stroke(replace(edit, id=new_id()), self._frames, self._name)
        name = f"{TOOLS[edit.tool].label}, {stage.id}"
        x, y = (float(v) for v in moved.points[:, :2].mean(0))
        was = (float(places[:, 0].mean()), float(places[:, 1].mean()), edit.brush.size_px)
        if moved.bounds.intersect(self._here.photo.bounds).empty or (sure < _TRUSTED and not on_face):
            self._looks.append(Look(LEFT_OUT, name, "nothing here tells where it belongs",
                                    was=was))
            return None
        if sure < _TRUSTED:
            self._looks.append(Look(UNSURE, name, "it was moved by the points of the face alone", x, y,
                                    moved.brush.size_px, "", was, sure))
        return moved

    def _keep_one_mend_layer(self) -> None:
        if not self.job.stage("mend").layers:
            self.job = self.job.with_stage(replace(self.job.stage("mend"), layers=(Layer(new_id(), "Spots"),)))

    def _look(self, what: str, find: Find, why: str, match: Match | None = None) -> None:
        place = match.find if match is not None else self._matcher.place(find)[0]
        self._looks.append(Look(what, name_of(find), why, place.x, place.y, place.size_px,
                                match.find.id if match is not None else "", (find.x, find.y, find.size_px),
                                match.alike if match is not None else None))


def _marked(job: Job, known: set[str], name: str) -> Job:
    """Edits that were not there before, marked as carried over."""
    def layer_of(layer: Layer) -> Layer:
        if all(edit.id in known for edit in layer.edits):
            return layer
        return replace(layer, edits=tuple(edit if edit.id in known else replace(edit, carried=name)
                                          for edit in layer.edits))

    return replace(job, stages=tuple(
        replace(stage, layers=tuple(layer_of(layer) for layer in stage.layers)) for stage in job.stages))

