"""A lesson under way: its plate, whose truth is known, and the session it is retouched in."""

import time
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.find.finder import look_at
from lather.core.imageio.picture import Picture
from lather.core.imageio.png import encode_png
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.kinds.registry import stage_of_kind
from lather.core.mending.edit_for_find import mend_all
from lather.core.mending.evening_by_route import evening_command
from lather.core.phrases import phrase
from lather.core.practice.lessons import Lesson, lesson, make_lesson
from lather.core.practice.make import Plate
from lather.core.practice.outcome import LessonScore, folder_of, score_lesson
from lather.core.practice.score import PracticeFolder
from lather.core.session import Session

_BY_KEY = ("mend", "strands", "colour")


@dataclass(eq=False)
class OpenLesson:
    """clock: against it. began: seconds of a clock. strokes of the person are those of the session's job."""

    lesson: Lesson
    seed: int
    plate: Plate
    session: Session
    clock: bool
    strength: str
    began: float = field(default_factory=time.monotonic)
    folder: PracticeFolder | None = None
    score: LessonScore | None = None

    @property
    def minutes(self) -> float | None:
        return self.lesson.minutes if self.clock else None


def begin_lesson(
    number: int, seed: int, *, strength: str = "middle", clock: bool = False, sitter: str = "", many: float = 1.0,
    flaws: Mapping[str, int] | None = None,
) -> OpenLesson:
    """The plate of `core.practice.lessons.make_lesson` as an open job. Raises RequestError."""
    one, plate = lesson(number), make_lesson(number, seed, strength=strength, sitter=sitter, many=many, flaws=flaws)
    session = _session_of(plate, title=phrase("Lesson %1, %2", number, one.label) if number else one.label)
    return OpenLesson(one, seed, plate, session, clock, strength)


def _session_of(plate: Plate, **brief) -> Session:
    picture = Picture(plate.photo, profiles.srgb_profile(), None, "PNG")
    photo = Photo(picture, encode_png(plate.photo), f"{plate.sitter.name}-{plate.seed}.png")
    return Session(photo, History(new_job(photo.source, demo=True, **brief)))


def score_it(one: OpenLesson, job, seconds: float) -> LessonScore:
    """What became of every flaw."""
    one.folder = one.folder or folder_of(one.plate)
    result = np.clip(one.session.engine.pixels(job, one.session.photo.bounds), 0, 1)
    return score_lesson(one.plate, result, seconds=seconds, minutes=one.minutes, folder=one.folder)


def automatic_score(one: OpenLesson) -> float:
    """What the automatic pass reaches on the same plate."""
    session = _session_of(one.plate)
    found = look_at(session.photo)
    session.history.amend(found.command)
    for stage in _BY_KEY:
        own = [f for f in found.finds if f.worth and stage_of_kind(f.kind) == stage]
        wanted = [f for f in own if session.job.find_state(f) == "open" and (f.sure or stage == "even")]
        layers = session.job.stage(stage).layers
        command, _ = mend_all(session.engine, session.job, wanted, layers[0].id if layers else "", stage_id=stage)
        if command is not None:
            session.history.do(command)
    if one.lesson.stage in ("split", "even") or one.lesson.number in (0, 10):
        command = evening_command(session.engine, session.job, found.measures, "light")
        if command is not None:
            session.history.do(command)
    result = np.clip(session.engine.pixels(session.job, session.photo.bounds), 0, 1)
    return score_lesson(one.plate, result, folder=one.folder or folder_of(one.plate)).score
