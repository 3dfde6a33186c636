"""The plan of the open job: facts are measured once beside the window, the plan is made anew with every sheet."""

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.find.visibility import judged
from lather.core.job.commands import SetFinds
from lather.core.measure.photo_facts import PhotoFacts, photo_facts
from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.plan.plan import Plan, largest_delivery
from lather.core.plan.plan_of_session import plan_of
from lather.core.record.entry_of_job import note_progress
from lather.desktop.background import Background
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob


class Planning(QObject):
    """`changed()` whenever facts or plan are others. facts, plan: None until the photo is measured."""

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, measured: Measured, records: Records, parent=None):
        super().__init__(parent)
        self.job, self.measured, self.records = job, measured, records
        self.facts: PhotoFacts | None = None
        self.plan: Plan | None = None
        self.speeds: Speeds = shipped_speeds()
        self.background = Background(self)
        self._made_of: tuple | None = None
        measured.ready.connect(self._measure)
        job.changed.connect(self._job_changed)
        if measured.measures is not None:
            self._measure()

    def _measure(self) -> None:
        measures = self.measured.measures
        self.background.run("facts", lambda task: (photo_facts(measures), self.records.speeds()), self._take,
                            failed=self.message.emit, newest=True)

    def _take(self, values: tuple[PhotoFacts, Speeds]) -> None:
        self.facts, self.speeds = values
        self._made_of = None
        self._job_changed(self.job.job)

    def _job_changed(self, job) -> None:
        made_of = (job.brief, job.finds, job.decisions)
        if self.facts is None or (self._made_of is not None and all(a is b for a, b in zip(made_of, self._made_of))):
            return
        self._made_of = made_of
        if self._judge_anew(job):
            return  # which comes back here
        self.plan = plan_of(job, self.facts, self.speeds)
        self.changed.emit()

    def _judge_anew(self, job) -> bool:
        """What shows depends on the largest output: finds are judged again when that is another one."""
        if not job.finds:
            return False
        delivery, _ = largest_delivery(job.brief, self.facts.width, self.facts.height)
        anew = judged(job.finds, delivery, self.facts.long_edge)
        if {f.id for f in anew if f.worth} == {f.id for f in job.finds if f.worth}:
            return False
        self.job.amend(SetFinds(anew, job.face_map, job.other_faces))
        return True

    def note(self) -> None:
        """Write the sheet, the plan and what was mended into the logbook."""
        job, plan = self.job.job, self.plan
        self.records.write(lambda book: note_progress(book, job, plan))

    def idle(self) -> bool:
        return self.background.idle()

    def close(self) -> None:
        self.background.close()
