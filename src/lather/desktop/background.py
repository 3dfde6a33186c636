"""Work beside the window: one way to start it, to hear how far it is, to stop it, and one way back to the window."""

import logging
import threading
from collections import deque
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import TypeVar

from PyQt6.QtCore import QEventLoop, QMetaObject, QObject, Qt, pyqtSignal

from lather.core import log
from lather.core.errors import LatherError
from lather.core.phrases import phrase
from lather.core.threads import let_end

_log = logging.getLogger(__name__)
Failed = Callable[[str], None]
Result = TypeVar("Result")


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

    What a person asked for is `queued`: it waits for its turn and is not dropped. What only shows something is
    `newest`: of several the last one counts.
    """

    _back = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None):
        super().__init__(parent)
        self._running: dict[str, tuple[Task, threading.Thread]] = {}
        self._next: dict[str, Callable[[], None]] = {}
        self._queues: dict[str, deque[Callable[[], None]]] = {}
        self._closed = False
        self._back.connect(lambda call: call())

    def run(
        self, name: str, work: Callable[[Task], object], done: Callable[[object], None], *, failed: Failed,
        progress: Callable[[float, str], None] | None = None, newest: bool = False, queued: bool = False,
    ) -> bool:
        """Start work. While work of that name is still running: False, or, with `newest`, that is given up, and this
        takes its place as soon as it ends; of several that wait only the last one is done. With `queued` it is done
        after those before it.
        """
        if self._closed:
            return False
        if name in self._running and queued:
            waiting = self._queues.setdefault(name, deque())
            waiting.append(lambda: self.run(name, work, done, failed=failed, progress=progress))
            return True
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
            try:
                outcome()
            finally:
                waiting = self._queues.get(task.name)
                if waiting and task.name not in self._running:
                    waiting.popleft()()
        else:
            following()

    def cancel(self, name: str) -> None:
        """Give up what runs under a name, and what waits for it."""
        self._queues.pop(name, None)
        if name in self._running:
            self._running[name][0].cancel()

    def running(self, name: str) -> bool:
        return name in self._running

    def idle(self) -> bool:
        """True if nothing runs and all that came of it has arrived."""
        return not self._running

    def close(self) -> None:
        """Cancel everything; nothing is heard of it any more. The window does not wait: what still runs works on what
        it holds itself, and is waited for at the end of the program.
        """
        self._closed = True
        self._next.clear()
        self._queues.clear()
        for task, _ in self._running.values():
            task.cancel()
        outlive(self, [thread for _, thread in self._running.values()])
        self._running.clear()


def outlive(owner: QObject, threads: Iterable[threading.Thread]) -> None:
    """An object whose threads were told to end stays until they have: a signal of one that Qt deletes meanwhile would
    end the program. Nothing hears it any more.
    """
    owner.blockSignals(True)
    owner.setParent(None)
    let_end(threads, owner)


def aside(work: Callable[[], Result]) -> Result:
    """What `work` returns or raises, worked out in a thread while the window goes on being drawn. Clicks and keys wait
    until it is done: what they are for may be another thing then.
    """
    loop, outcome = QEventLoop(), []

    def run() -> None:
        try:
            outcome.append((work(), None))
        except BaseException as error:
            outcome.append((None, error))
        finally:
            with suppress(RuntimeError):
                QMetaObject.invokeMethod(loop, "quit", Qt.ConnectionType.QueuedConnection)

    thread = threading.Thread(target=run, name="aside", daemon=True)
    thread.start()
    while not outcome:
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    value, error = outcome[0]
    if error is not None:
        raise error
    return value
