"""What is measured of the photo once, beside the window: grain, texture scale, safe ground, bare skin."""

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.engine.photo import Photo
from lather.core.job.brief import JobSheet
from lather.core.job.fence import Fence
from lather.core.job.grain_model import GrainModel
from lather.core.job.model import Job
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.texture_scale import TextureScale
from lather.core.mending.bare_skin import skin_fence
from lather.core.people.guard import Guard
from lather.core.people.kept import members_of
from lather.core.people.reading import people_of
from lather.core.phrases import phrase
from lather.desktop.background import Background, Task
from lather.desktop.opening.open_job import OpenJob

_USUAL_SPLIT_SHARE = 0.003  # of the face width, until the texture is measured (6 px on a face of 2000 px)


class Measured(QObject):
    """`ready()` in the window's thread when all is known; until then the values are None or usual ones."""

    ready = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job, self.background = job, Background(self)
        self.measures: PhotoMeasures | None = None
        self.grain: GrainModel | None = None
        self.texture: TextureScale | None = None
        self.fence: Fence | None = None
        self.guard: Guard | None = None
        self._asked: tuple | None = None

    def ask(self) -> None:
        """Measure in the background, if it was not done (or is not being done) with this face map and these parts."""
        job = self.job.job
        asked = (job.face_map, job.part_strokes)
        begun = self.measures is not None or not self.background.idle()
        if begun and self._asked == asked:
            return
        photo = self.job.session.photo
        self._asked = asked
        self.background.run("measure", lambda task: _measure(task, photo, job), self._take, failed=self._failed,
                            newest=True)

    def _take(self, values: tuple | None) -> None:
        if values is not None:
            self.measures, self.grain, self.texture, self.fence, self.guard = values
            self.ready.emit()

    def _failed(self, text: str) -> None:
        self.message.emit(phrase("The photo could not be measured; usual values are used. %1", text))

    def idle(self) -> bool:
        return self.background.idle()

    @property
    def split_px(self) -> float:
        """Proposed split width, or what the plan was overwritten with."""
        written = JobSheet.of(self.job.job.brief).start("split")
        if written is not None:
            return written
        if self.texture is not None:
            return round(self.texture.split_px, 1)
        face = self.job.job.face_map
        return max(2.0, round(_USUAL_SPLIT_SHARE * (face.width_px if face is not None else 1200), 1))

    def close(self) -> None:
        self.background.close()


def _measure(task: Task, photo: Photo, job: Job) -> tuple | None:
    measures = PhotoMeasures.of_job(photo, job)
    values = [measures]
    for value in (lambda: measures.grain, lambda: measures.texture_scale, lambda: skin_fence(measures),
                  lambda: _guard(measures),
                  lambda: measures.ground, lambda: measures.skin_lab, lambda: measures.grey_mix,
                  lambda: measures.person, lambda: members_of(people_of(photo))):
        if not task.going_on:
            return None
        values.append(value())
    return tuple(values[:5])


def _guard(measures: PhotoMeasures) -> Guard | None:
    faces = tuple(measures.faces)
    guard = Guard.of(measures.people, faces, measures.photo.bounds)
    return None if guard is None else guard.with_parts(measures.zones, faces)
