"""Time really worked, told from the window's events, written to the logbook every few seconds."""

import time

from PyQt6.QtCore import QEvent, QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QInputEvent
from PyQt6.QtWidgets import QWidget

from lather.core.record.clock import ActivityClock
from lather.desktop.input.heard import Heard
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob

REST = "50 minutes without a pause: a short rest is good for eyes and wrist, and resets judgement."
_WRITE_EVERY_MS = 5000
_LIFE = {QEvent.Type.MouseMove, QEvent.Type.MouseButtonPress, QEvent.Type.KeyPress, QEvent.Type.Wheel,
         QEvent.Type.TabletMove, QEvent.Type.TabletPress, QEvent.Type.MouseButtonRelease, QEvent.Type.TabletRelease}


class Timekeeping(Heard):
    """`changed()` after time was added, or it was paused. `rest_due()` after 50 minutes without rest.

    seconds: {stage: worked}, of the job since it was begun. now: a clock in seconds, for tests.
    """

    changed = pyqtSignal()
    rest_due = pyqtSignal()

    def __init__(self, job: OpenJob, records: Records, window: QWidget, parent=None, *, now=time.monotonic):
        super().__init__(window, parent)
        self.job, self.records, self._window, self.now = job, records, window, now
        self.clock = ActivityClock(job.stage_id)
        self.seconds = job.session.logged_seconds(records.seconds(job.job.id))
        self._mended = job.job.mended_finds()
        self._screen = "desk"
        self._timer = QTimer(self)
        self._timer.setInterval(_WRITE_EVERY_MS)
        self._timer.timeout.connect(self.write)
        self._timer.start()
        job.changed.connect(self._job_changed)
        job.stage_changed.connect(self._enter)
        self.hear()
        self.watch(window.windowHandle())

    @property
    def total_s(self) -> int:
        return sum(self.seconds.values())

    @property
    def paused(self) -> bool:
        return self.clock.paused

    def show_screen(self, key: str) -> None:
        """Another screen is in sight: on the desk time goes to the stage in hand, elsewhere to the screen."""
        self._screen = key
        self._enter()

    def _enter(self) -> None:
        self.clock.enter(self.job.stage_id if self._screen == "desk" else self._screen, self.now())

    def toggle_pause(self) -> bool:
        """True if it is paused now."""
        if self.clock.paused:
            self.clock.go_on(self.now())
        else:
            self.clock.pause(self.now())
        self.write()
        self.changed.emit()
        return self.clock.paused

    def eventFilter(self, target: QObject, event: QEvent) -> bool:
        if self.heard_window is None:
            return False
        if isinstance(event, QInputEvent) and event.type() in _LIFE and self._is_ours(target):
            self.clock.seen(self.now())
            if self.clock.rest_due:
                self.clock.rested()
                self.rest_due.emit()
        return False

    def _is_ours(self, target: QObject) -> bool:
        return not isinstance(target, QWidget) or target.window() is self._window

    def _job_changed(self, job) -> None:
        mended = job.mended_finds()
        new = mended - self._mended
        self._mended = mended
        if new:
            self.clock.mended([find.kind for find in job.finds or () if find.id in new], self.now())

    def write(self) -> None:
        """Hand what was worked to the logbook; it is in the job's own count at once."""
        spans = self.clock.take()
        if not spans:
            return
        for span in spans:
            self.seconds[span.stage] = self.seconds.get(span.stage, 0) + span.seconds
        self.job.session.log_seconds(self.seconds)
        job_id = self.job.job.id
        self.records.write(lambda book: book.add_spans(job_id, spans))
        self.changed.emit()

    def close(self) -> None:
        self._timer.stop()
        self.unhear()
        self.clock.seen(self.now())
        self.write()
