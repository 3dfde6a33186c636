"""The sitting that is open: measured, carried and kept beside the window. It outlives the job on the desk."""

import logging
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from lather.core import log
from lather.core.colour import profiles
from lather.core.errors import LatherError, RequestError
from lather.core.job.commands import Command, DecideFind, RemoveEdits, Together
from lather.core.job.finds import WANTED_GONE
from lather.core.kinds.registry import kind_of, stage_of_kind
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.mending.edit_for_find import can_mend, mend_command
from lather.core.phrases import joined, phrase
from lather.core.session import TIME_MEMBER, Session, read_time
from lather.core.sitting.contact import contact_sheet
from lather.core.sitting.sitting import FINISHED, PHOTO, Frame, Sitting
from lather.core.sitting.sitting_file import open_sitting, save_sitting
from lather.core.sitting.skin_alike import retouched_skin
from lather.core.sitting.work import carried_to, measured, told_apart, with_finished
from lather.desktop.background import Background
from lather.desktop.opening.open_job import as_it_is

_log = logging.getLogger(__name__)
_SEEN_PX, _MOST_PICTURES = 1600, 8  # long side of a frame as it is shown; so many are held
_THUMB_PX = 150
_CROP_PX, _CROP_TIMES = 44, 4.0  # of a look: px shown, sizes of the mark around it
KEEP, MEND, LEAVE = "keep", "mend", "leave"


@dataclass(frozen=True)
class Seen:
    """A frame as it is shown, and as it came; scale: px of it per px of the photo. face: its middle and width, keepers,
    mends: (x, y, size) of marks that stay and of what was mended, all on the photo. worked: something was done to it.
    """

    image: QImage
    photo: QImage
    scale: float
    face: tuple[float, float, float] | None = None
    keepers: tuple[tuple[float, float, float], ...] = ()
    mends: tuple[tuple[float, float, float], ...] = ()
    worked: bool = False


class SittingControl(QObject):
    """`changed()`; `progressed()`; `seen(name)` when a frame's picture is there; `message(text)`; `opened()`."""

    changed = pyqtSignal()
    progressed = pyqtSignal()
    seen = pyqtSignal(object)
    message = pyqtSignal(object)
    opened = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.sitting: Sitting | None = None
        self._saved: Sitting | None = None  # as it was opened, or saved last
        self.chosen = ""
        self.thumbs: dict[str, QImage] = {}
        self.pictures: dict[str, Seen] = {}
        self.progress = ""
        self._answers: list[tuple[str, int, str]] = []  # to looks, that wait for the one before
        self._seconds: dict[str, tuple[int, int]] = {}  # {frame: (when its job was saved, hands-on time)}
        self._background = Background(self)

    # opening

    def open(self, paths: Sequence[str | Path]) -> bool:
        """A folder, or photos of one; says why where it cannot be."""
        try:
            sitting = open_sitting(paths)
        except LatherError as error:
            self.message.emit(log.expected(_log, error))
            return False
        self._background.close()  # nothing is heard any more of what was begun for another sitting
        self._background = Background(self)
        self.sitting, self.thumbs, self.pictures, self._answers, self._seconds = sitting, {}, {}, [], {}
        self._saved = sitting
        for note in sitting.notes:
            self.message.emit(note)
        self.chosen = next((f.name for f in sitting.frames if f.state == FINISHED), sitting.frames[0].name)
        self.opened.emit()
        self._measure_frames()
        self.choose(self.chosen)
        return True

    def holds(self, path: Path | None) -> str:
        """Name of the frame that a photo or job is of; "" where it is none of this sitting's."""
        if self.sitting is None or path is None:
            return ""
        path = path.resolve()
        return next((f.name for f in self.sitting.frames if path in (self.sitting.photo(f.name).resolve(),
                                                                     self.sitting.job(f.name).resolve())), "")

    def job_file(self, name: str) -> Path:
        """Where the job of a frame is to be saved; the folder is there then."""
        path = self.sitting.job(name)
        path.parent.mkdir(exist_ok=True)
        return path

    @property
    def frame(self) -> Frame | None:
        """The frame in view."""
        return None if self.sitting is None else self.sitting.frame(self.chosen)

    @property
    def reference(self) -> str:
        """Name of the finished frame that the person in view is held to; "" where none is finished."""
        person = self.sitting.person(self.frame.person) if self.sitting is not None else None
        finished = person.reference if person is not None else ""
        if finished and self.sitting.frame(finished).state == FINISHED:
            return finished
        return next((f.name for f in self.sitting.frames if f.state == FINISHED), "") if self.sitting else ""

    def _measure_frames(self) -> None:
        """Small pictures, skin and people, frame by frame."""
        sitting = self.sitting

        def work(task):
            known: dict[str, PhotoMeasures] = {}
            now = sitting
            for number, frame in enumerate(sitting.frames):
                try:
                    one, measures = measured(now, frame.name)
                except LatherError as error:
                    why = log.expected(_log, error)
                    self._background.hand_over(lambda text=why: self.message.emit(text))
                    continue
                now = now.with_frame(replace(now.frame(frame.name), skin=one.skin))
                if frame.person:
                    known.setdefault(frame.person, measures)
                else:
                    now = told_apart(now, frame.name, measures, known)
                told = now.frame(frame.name), now.persons, _image(measures.small, _THUMB_PX)
                self._background.hand_over(lambda told=told: self._frame_measured(*told))
                if not task.tick((number + 1) / len(sitting.frames), phrase("Looking at %1", frame.name)):
                    break

        def done(_):
            self._say_progress("")
            self._save()

        self._background.run("measure", work, done, failed=self.message.emit, progress=self._tick)

    def _frame_measured(self, frame: Frame, persons, thumb: QImage) -> None:
        known = {one.id for one in self.sitting.persons}
        for person in persons:
            if person.id not in known:
                self.sitting = self.sitting.with_person(person)
        now = self.sitting.frame(frame.name)
        self.sitting = self.sitting.with_frame(replace(now, skin=frame.skin, person=now.person or frame.person))
        self.thumbs[frame.name] = thumb
        self.changed.emit()

    def _tick(self, share: float, what: str) -> None:
        self._say_progress(joined([what, f"{100 * share:.0f} %"], " · "))

    def _say_progress(self, text: str) -> None:
        self.progress = text
        self.progressed.emit()

    def _save(self) -> None:
        try:
            self.sitting = self._saved = save_sitting(self.sitting, self._saved)
        except LatherError as error:
            self.message.emit(log.expected(_log, error))
        self.changed.emit()

    # looking

    def choose(self, name: str) -> None:
        """The frame in view; its picture comes as soon as it is read."""
        self.chosen = name
        self.changed.emit()
        wanted = [one for one in (name, self.reference) if one and one not in self.pictures]
        if wanted:
            name, sitting = wanted[0], self.sitting

            def work(task):
                return name, self._seen(sitting, name)

            self._background.run("picture", work, self._picture_came, failed=self.message.emit, newest=True)

    def _picture_came(self, came) -> None:
        name, seen = came
        while len(self.pictures) >= _MOST_PICTURES:
            del self.pictures[next(iter(self.pictures))]
        self.pictures[name] = seen
        self.seen.emit(name)
        if name == self.chosen:
            self.choose(name)  # and the finished one, for its crops

    @staticmethod
    def _seen(sitting: Sitting, name: str) -> Seen:
        session = _session(sitting, name)
        photo, level = session.photo, 0
        while max(photo.level_bounds(level + 1)[2:]) >= _SEEN_PX:
            level += 1
        rect, job = photo.level_bounds(level), session.job

        def shown(pixels: np.ndarray) -> QImage:
            if not profiles.is_srgb(photo.profile):
                pixels = profiles.convert(pixels, photo.profile, profiles.srgb_profile())
            return _image(pixels, _SEEN_PX)

        image = shown(np.clip(session.engine.pixels(job, rect, level), 0, 1))
        face = job.face_map
        keepers = tuple((find.x, find.y, find.size_px) for find in job.keepers())
        mends = tuple((*(float(v) for v in edit.points[:, :2].mean(0)), edit.brush.size_px)
                      for layer in job.stage("mend").layers for edit in layer.edits)
        return Seen(image, shown(photo.read(rect, level)), image.width() / photo.width,
                    (*(float(v) for v in face.frame[0]), face.width_px) if face is not None else None, keepers, mends,
                    len(session.engine.stack(job)) > 0)

    def crops(self, name: str, number: int) -> tuple[QImage | None, QImage | None]:
        """Of a look, as the photos came: the mark on the frame it was carried from, and its place on this one."""
        look = self.sitting.frame(name).carried.looks[number]
        reference = self.reference
        was = _crop(self.pictures.get(reference), *look.was) if look.was and reference else None
        now = _crop(self.pictures.get(name), look.x, look.y, look.size_px) if look.x is not None else None
        return was, now

    # finishing, carrying, taking back

    def take_finished(self, name: str, session: Session | None) -> None:
        """A frame as finished: as it is on the desk, or else as it was saved."""
        sitting, finished = self.sitting, as_it_is(session)

        def work(task):
            return with_finished(sitting, name, finished or _session(sitting, name))

        def done(made: Sitting):
            self.sitting = self.sitting.with_frame(made.frame(name))
            for person in made.persons:
                self.sitting = self.sitting.with_person(person)
            self._save()
            self.message.emit(phrase("%1 is finished; carry it over to the other frames.", name))

        self._background.run("finish", work, done, failed=self.message.emit)

    def carry_over(self, source: str, targets: Sequence[str], session: Session | None = None) -> None:
        """A finished frame to others, one after another; each is kept as soon as it is done."""
        sitting, names, on_desk = self.sitting, list(targets), as_it_is(session)

        def work(task):
            finished = on_desk or _session(sitting, source)
            measures = PhotoMeasures.of_job(finished.photo, finished.job)
            failed = []
            for number, name in enumerate(names):
                def tick(share: float, number=number, name=name) -> bool:
                    return task.tick((number + share) / len(names), phrase("Carrying %1 to %2", source, name))

                try:
                    made = carried_to(sitting, source, finished, name, tick, measures=measures)
                except LatherError as error:
                    if not task.going_on:
                        raise
                    failed.append(joined([name, log.expected(_log, error)], ": "))
                    continue
                frame = made.frame(name)
                self._background.hand_over(lambda frame=frame: self._carried(frame))
            return failed

        def done(failed):
            self._say_progress("")
            looks = sum(len(self.sitting.frame(name).looks_left) for name in names)
            done_ = len(names) - len(failed)
            self.message.emit(joined([phrase("Carried over to %1 of %2 frames; %3 things need a look.", done_,
                                               len(names), looks),
                                        *failed]))

        self._background.run("carry", work, done, failed=self._carry_stopped, progress=self._tick)
        self._say_progress(phrase("Carrying %1 over", source))

    def _carry_stopped(self, text: str) -> None:
        self._say_progress("")
        self.message.emit(text)

    def _carried(self, frame: Frame) -> None:
        self.sitting = self.sitting.with_frame(frame)
        self.pictures.pop(frame.name, None)
        self._save()
        if frame.name == self.chosen:
            self.choose(frame.name)

    def stop(self) -> None:
        """What is being carried is stopped; what was carried stays."""
        self._background.cancel("carry")

    def take_back(self, name: str) -> None:
        """A carried frame as it came; its job is put aside, not deleted."""
        job = self.sitting.job(name)
        if job.is_file():
            job.replace(job.with_name(f"{job.name}~taken-back"))
        frame = self.sitting.frame(name)
        self.sitting = self.sitting.with_frame(replace(frame, state=PHOTO, now=None, carried=None, looked=frozenset()))
        self.pictures.pop(name, None)
        self._save()
        self.choose(name)
        self.message.emit(phrase("%1 is as it came; what was carried lies beside it as %2~taken-back.", name, job.name))

    def rename(self, person_id: str, name: str) -> None:
        self.sitting = self.sitting.with_person(replace(self.sitting.person(person_id), name=name))
        self._save()

    # looks

    def deal_with(self, name: str, number: int, answer: str) -> None:
        """One of what needs a look: kept, mended or left; changed in the frame's job and saved, one after another."""
        self._answers.append((name, number, answer))
        self._answer_next()

    def _answer_next(self) -> None:
        if not self._answers or self._background.running("look"):
            return
        name, number, answer = self._answers.pop(0)
        sitting, look = self.sitting, self.sitting.frame(name).carried.looks[number]

        def work(task):
            if answer == LEAVE or not look.find:
                return None
            session = Session.open(sitting.job(name))
            session.history.do(_answered(session, look.find, answer))
            session.save(sitting.job(name))
            measures = PhotoMeasures.of_job(session.photo, session.job)
            return retouched_skin(session.engine, session.job, measures)

        def done(now):
            frame = self.sitting.frame(name)
            self.sitting = self.sitting.with_frame(
                replace(frame, looked=frame.looked | {number}, now=now or frame.now))
            if now is not None:
                self.pictures.pop(name, None)
                self.choose(self.chosen)
            self._save()
            self._answer_next()

        def failed(text: str) -> None:
            self.message.emit(text)
            self._answer_next()

        self._background.run("look", work, done, failed=failed)

    def write_contact_sheet(self, path: Path) -> None:
        sitting = self.sitting

        def work(task):
            contact_sheet(sitting, path, progress=lambda share: task.tick(share, "Contact sheet"))

        def done(_):
            self._say_progress("")
            self.message.emit(phrase("Contact sheet written: %1.", path.name))

        self._background.run("sheet", work, done, failed=self._carry_stopped, progress=self._tick)

    def seconds(self, name: str) -> int:
        """Hands-on time of a frame, as its job tells."""
        path = self.sitting.job(name)
        try:
            saved = path.stat().st_mtime_ns
            if self._seconds.get(name, (0, 0))[0] != saved:
                with zipfile.ZipFile(path) as archive:
                    self._seconds[name] = saved, sum(read_time(archive.read(TIME_MEMBER)).values())
            return self._seconds[name][1]
        except (OSError, KeyError, zipfile.BadZipFile):
            return 0

    @property
    def carrying(self) -> bool:
        return self._background.running("carry")

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._background.close()


def _session(sitting: Sitting, name: str) -> Session:
    job = sitting.job(name)
    return Session.open(job if job.is_file() else sitting.photo(name))


def _answered(session: Session, find_id: str, answer: str) -> Command:
    """Keep: what was laid on it is taken away. Mend: it is, whatever it was taken for. Raises RequestError where it
    cannot be.
    """
    job = session.job
    find = next((one for one in job.finds or () if one.id == find_id), None)
    if find is None:
        raise RequestError("This mark is no longer listed on the frame; open the frame on the desk.")
    laid = [(stage.id, layer.id, edit.id) for stage in job.stages for layer in stage.layers for edit in layer.edits
            if edit.find == find_id]
    if answer == KEEP:
        away = [RemoveEdits(stage, layer, (edit,)) for stage, layer, edit in laid]
        return Together(phrase("keep %1", find.label.lower()), (*away, DecideFind(find_id, "keep")))
    decide = DecideFind(find_id, WANTED_GONE if kind_of(find.kind).keeper else "")
    if laid:
        return decide  # it is mended: that was right
    layers = job.stage("mend").layers
    mend = mend_command(session.engine, decide.apply(job), find, layers[0].id if layers else "",
                        stage_of_kind(find.kind)) if can_mend(find) else None
    if mend is None:
        raise RequestError(phrase("%1: no skin near it fits; open the frame on the desk and mend it by hand.",
                                  find.label))
    return Together(phrase("mend %1", find.label.lower()), (decide, mend))


def _image(pixels: np.ndarray, side: int) -> QImage:
    """sRGB 0-1 (h, w, 3), no longer than `side`, as Qt shows it."""
    shrink = min(1.0, side / max(pixels.shape[:2]))
    if shrink < 1:
        pixels = cv2.resize(pixels, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    data = np.ascontiguousarray(np.round(255 * np.clip(pixels, 0, 1)).astype(np.uint8))
    height, width = data.shape[:2]
    return QImage(data.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def _crop(seen: Seen | None, x: float, y: float, size: float) -> QImage | None:
    if seen is None:
        return None
    half = max(10, int(_CROP_TIMES * size * seen.scale / 2))
    return seen.photo.copy(int(x * seen.scale) - half, int(y * seen.scale) - half, 2 * half, 2 * half).scaled(
        _CROP_PX, _CROP_PX)
