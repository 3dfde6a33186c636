"""Work beside the window: one way to start it, to hear how far it is, to stop it, and one way back to the window."""

import logging
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.errors import LatherError
from lather.core.phrases import phrase

_log = logging.getLogger(__name__)
_JOIN_S = 20.0
Failed = Callable[[str], None]


@dataclass(eq=False)
class Task:
    """One piece of work. It asks `going_on` from time to time, or calls `tick`, and ends where that is False."""

    name: str
    _owner: "Background"
    _on_progress: Callable[[float, str], None] | None = None
    _cancelled: threading.Event = field(default_factory=threading.Event)

    def cancel(self) -> None:
        self._cancelled.set()

    @property
    def going_on(self) -> bool:
        return not self._cancelled.is_set()

    def tick(self, share: float, what: str = "") -> bool:
        """How far it is, 0-1, and what is being done; False if it was cancelled."""
        if self._on_progress is not None:
            self._owner.hand_over(lambda: self._on_progress(share, what))
        return self.going_on


class Background(QObject):
    """Runs `work(task)` in a thread of its own; what it returns comes to `done` in the window's thread.

    Of each name one piece of work runs at a time. failed(sentence) hears of what went wrong; cancelled work says so
    there too, unless it was cancelled for newer work, or by `close`: then nothing is heard of it.
    """

    _back = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._running: dict[str, tuple[Task, threading.Thread]] = {}
        self._next: dict[str, Callable[[], None]] = {}
        self._closed = False
        self._back.connect(lambda call: call())

    def run(
        self, name: str, work: Callable[[Task], object], done: Callable[[object], None], *, failed: Failed,
        progress: Callable[[float, str], None] | None = None, newest: bool = False,
    ) -> bool:
        """Start work. While work of that name is still running: False, or, with `newest`, that is given up, and this
        takes its place as soon as it ends; of several that wait only the last one is done.
        """
        if self._closed:
            return False
        if name in self._running:
            if newest:
                self._running[name][0].cancel()
                self._next[name] = lambda: self.run(name, work, done, failed=failed, progress=progress)
            return newest
        task = Task(name, self, progress)
        thread = threading.Thread(target=self._work, args=(task, work, done, failed), name=name, daemon=True)
        self._running[name] = (task, thread)
        thread.start()
        return True

    def _work(self, task: Task, work, done, failed: Failed) -> None:
        hear, what = done, None
        try:
            what = work(task)
        except LatherError as error:
            hear, what = failed, log.expected(_log, error)
        except Exception as error:
            hear = failed
            what = log.unexpected(_log, error, phrase("This could not be worked out (%1); your work is as it was.",
                                                      error))
        self.hand_over(lambda: self._end(task, lambda: hear(what)))

    def hand_over(self, call: Callable[[], None]) -> None:
        """Let something happen in the window's thread."""
        with suppress(RuntimeError):  # the window is gone
            self._back.emit(lambda: None if self._closed else call())

    def _end(self, task: Task, outcome: Callable[[], None]) -> None:
        del self._running[task.name]
        following = self._next.pop(task.name, None)
        if following is None:
            outcome()
        else:
            following()

    def cancel(self, name: str) -> None:
        if name in self._running:
            self._running[name][0].cancel()

    def running(self, name: str) -> bool:
        return name in self._running

    def idle(self) -> bool:
        """True if nothing runs and all that came of it has arrived."""
        return not self._running

    def close(self, *, wait: bool = True) -> None:
        """Cancel everything; nothing is heard of it any more. wait: until it has ended, where it uses what goes."""
        self._closed = True
        self._next.clear()
        for task, _ in self._running.values():
            task.cancel()
        for _, thread in list(self._running.values()) if wait else ():
            thread.join(_JOIN_S)
        self._running.clear()
