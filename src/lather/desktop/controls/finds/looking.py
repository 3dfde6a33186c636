"""Looking for flaws in the whole photo, beside the window."""

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.find.finder import Found, look_at
from lather.core.find.visibility import Delivery
from lather.core.measure.photo_measures import PhotoMeasures
from lather.desktop.background import Background
from lather.desktop.opening.open_job import OpenJob

_FAINTEST_HAIRS = 0.1  # all are kept: the sensitivity chooses among them


class Looking(QObject):
    """`found()` after the finds are in the job. busy, share (0-1), doing: how far it is."""

    changed = pyqtSignal()
    found = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job, self.background = job, Background(self)
        self.busy, self.share, self.doing, self._again = False, 0.0, "", False

    def start(self) -> None:
        """Look for flaws; decisions already made stay. While that goes on, it is looked once more afterwards."""
        self._again = self.busy
        if self.busy:
            return
        photo, job = self.job.session.photo, self.job.job
        chosen = job.face_map is not None and (job.face_map.by_person or job.other_faces)
        face = job.face_map if chosen else None
        delivery = Delivery.from_json(job.brief.get("delivery"))
        measures = PhotoMeasures(photo, face, job.part_strokes)

        def work(task):
            return look_at(photo, measures=measures, delivery=delivery, progress=task.tick,
                           hairs_from=_FAINTEST_HAIRS)

        self.show_progress(0.0, "")
        self.background.run("find", work, self._found, failed=self.end, progress=self.show_progress)

    def show_progress(self, share: float, what: str) -> None:
        self.busy, self.share, self.doing = True, share, what
        self.changed.emit()

    def stop(self) -> None:
        self.background.cancel("find")

    def _found(self, found: Found) -> None:
        self.job.amend(found.command)
        self.end("")
        self.found.emit()

    def end(self, message: str) -> None:
        self.busy = False
        if message:
            self.message.emit(message)
        self.changed.emit()
        if self._again:
            self.start()

    def idle(self) -> bool:
        return not self.busy and self.background.idle()

    def close(self) -> None:
        self.background.close()
