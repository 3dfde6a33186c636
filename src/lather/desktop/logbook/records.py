"""The logbook as the window uses it: written beside the window, in order; where it cannot be, that is said once."""

import logging
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.errors import LatherError
from lather.core.plan.minutes import Speeds, shipped_speeds
from lather.core.record.entries import LogEntry
from lather.core.record.logbook import Logbook
from lather.core.record.own_speed import LATEST_JOBS, own_speeds
from lather.core.record.waiting import Waiting, enter, write_or_keep
from lather.core.record.which import Which

_log = logging.getLogger(__name__)
_TRY_AGAIN_S, _AT_ONCE_S = 30.0, 0.1


class Records(QObject):
    """`problem(sentence)` at the first thing that could not be written. book: None where it cannot be opened."""

    problem = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self.book: Logbook | None = None
        self._told = False
        self._hand = ThreadPoolExecutor(1, thread_name_prefix="logbook")
        self._tried = 0.0
        self._open()

    def _open(self) -> None:
        self._tried = time.monotonic()
        try:
            self.book = Logbook()
        except LatherError as error:
            log.expected(_log, error)

    def write(self, change: Callable[[Logbook | Waiting], object]) -> Future:
        """Make a change as soon as those before it are made; where there is no logbook it is kept for later."""
        return self._hand.submit(self._change, change)

    def _change(self, change: Callable[[Logbook | Waiting], object]) -> bool:
        if self.book is None and time.monotonic() - self._tried > _TRY_AGAIN_S:
            self._open()
        if self.book is not None:
            enter(self.book)
        why = write_or_keep(change, self.book)
        if why:
            self._tell(why)
        return not why

    def _tell(self, text: str) -> None:
        if not self._told:
            self._told = True
            self.problem.emit(text)

    def wait(self) -> None:
        """Until all that was asked for is written."""
        self._hand.submit(lambda: None).result()

    def entries(self) -> list[LogEntry]:
        """Everything logged so far; nothing where there is no logbook. Raises LogbookError."""
        self.wait()
        return self.book.entries() if self.book is not None else []

    def seconds(self, job_id: str) -> dict[str, int]:
        """{stage: seconds} of a job; nothing where the logbook does not say it at once: the job knows its own."""
        if self.book is None:
            return {}
        try:
            return self._hand.submit(lambda: self.book.seconds(job_id)).result(_AT_ONCE_S)
        except TimeoutError:
            return {}
        except LatherError as error:
            self._tell(log.expected(_log, error))
            return {}

    def speeds(self) -> Speeds:
        """Own speeds, where three jobs tell them."""
        try:
            self.wait()
            return own_speeds(self.book.entries(Which(latest=LATEST_JOBS)) if self.book is not None else [])
        except LatherError:
            return shipped_speeds()

    def close(self) -> None:
        """What was asked for is still written, beside the window; the program waits for it at its end."""
        self.blockSignals(True)
        self.setParent(None)
        if self.book is not None:
            self._hand.submit(self.book.close)
        self._hand.shutdown(wait=False)
