"""The gauges on the desk, measured beside the window a moment after every step; never from an older job."""

import os

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.gauges.registry import measured_on_desk
from lather.core.phrases import phrase
from lather.desktop.background import Background
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.opening.open_job import OpenJob

_DELAY_MS = 350


def gauged_by_itself() -> bool:
    """False where somebody asks for gauges, and what they are measured by, when they are wanted: tests, for which they
    are most of the work."""
    return os.environ.get("LATHER_GAUGES_BY_THEMSELVES", "1") != "0"


class Gauging(QObject):
    """`gauged(dict)` with what `core.gauges.registry.measured_on_desk` gives; `message` where it cannot be told."""

    gauged = pyqtSignal(dict)
    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, measured: Measured, parent=None):
        super().__init__(parent)
        self.job, self.measured, self.background = job, measured, Background(self)
        self._begun = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_DELAY_MS)
        self._later.timeout.connect(self._measure)
        if gauged_by_itself():
            job.changed.connect(lambda _: self._later.start())
            measured.ready.connect(self._measure)

    def begin(self) -> None:
        """From now on: when what a job holds has been worked out for the eye."""
        self._begun = True
        if gauged_by_itself():
            self._later.start()

    def ask(self) -> None:
        """Measure now."""
        self._begun = True
        self._measure()

    def _measure(self) -> None:
        if not self._begun:
            return
        job, engine, measures = self.job.job, self.job.session.engine, self.measured.measures
        if not len(engine.stack(job)):
            self.background.cancel("gauges")
            self.gauged.emit({})
            return

        def take(values: dict) -> None:
            if job is self.job.job:  # else it is measured again: the step has started the clock
                self.gauged.emit(values)

        stage_id = self.job.stage_id
        self.background.run(
            "gauges", lambda task: measured_on_desk(engine, job, measures, lambda: task.going_on, stage_id), take,
            failed=self._failed, newest=True)

    def _failed(self, text: str) -> None:
        self.message.emit(phrase("The gauges could not be measured. %1", text))

    def idle(self) -> bool:
        return self.background.idle() and not self._later.isActive()

    def close(self) -> None:
        self._later.stop()
        self.background.close()
