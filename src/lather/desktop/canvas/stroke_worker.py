"""Strokes are computed in a thread of their own: the window only draws what comes back."""

import logging
import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.engine.engine import Engine
from lather.core.engine.live import LiveStroke
from lather.core.errors import LatherError
from lather.core.job.model import Job, Stroke
from lather.core.phrases import phrase
from lather.core.types import Rect
from lather.desktop.background import outlive
from lather.desktop.canvas.display import DisplayConverter

_log = logging.getLogger(__name__)
_SETTLE_AFTER_S = 0.012  # with no pen event for so long, the stroke as a whole is solved again


@dataclass(frozen=True)
class LivePixels:
    """Finished pixels of part of a stroke: bgrx uint8 for `rect` of `level`."""

    rect: Rect
    level: int
    bgrx: np.ndarray



Then = Callable[[Stroke, Job, str, str], tuple[Stroke | None, object]]
"""What is done with a finished edit beside the window: (edit, the job before, stage, layer) to (edit, a word)."""


class StrokeWorker(QObject):
    """`painted(LivePixels)` while the pen moves; `finished(stroke or None, fit, message)` after it is lifted.

    `answered(object)` carries what an `ask` returned. While the pen is down and nothing else is to do, the stroke is
    settled as a whole: what was laid first follows what came later.
    """

    painted = pyqtSignal(object)
    finished = pyqtSignal(object, float, object)
    disagrees = pyqtSignal(float)
    answered = pyqtSignal(object)

    def __init__(self, engine: Engine, converter: DisplayConverter, parent=None):
        super().__init__(parent)
        self._engine, self._converter = engine, converter
        self._tasks: deque[Callable[[], None]] = deque()
        self._points: list[np.ndarray] = []
        self._condition = threading.Condition()
        self._stopped = self._running = False
        self._live: LiveStroke | None = None
        self._laid_on: tuple[Job, str, str] | None = None
        self.then: Then = lambda edit, job, stage_id, layer_id: (edit, "")
        self._seen: tuple[int, Rect] | None = None
        self._thread = threading.Thread(target=self._work, name="stroke", daemon=True)
        self._thread.start()

    def begin(self, job: Job, stage_id: str, layer_id: str, stroke: Stroke) -> None:
        with self._condition:
            self._points = []  # those of the stroke before are its own, taken or not
        self._put(lambda: self._begin(job, stage_id, layer_id, stroke))

    def extend(self, points: np.ndarray, level: int, visible: Rect) -> None:
        """Points (n, 4); those that come while others are computed are taken together."""
        with self._condition:
            waiting = self._points
            first = not waiting
            waiting.append(points)
        if first:
            self._put(lambda: self._extend(waiting, level, visible))

    def end(self) -> None:
        self._put(self._end)

    def ask(self, question: Callable[[], object]) -> None:
        """Compute something beside the strokes; its result comes by `answered`."""
        self._put(lambda: self.answered.emit(question()))

    def cancel(self) -> None:
        def forget():
            self._live = None

        self._put(forget)

    def idle(self) -> bool:
        with self._condition:
            return not self._tasks and not self._running

    def stop(self) -> None:
        with self._condition:
            self._stopped = True
            self._live = None
            self._condition.notify()
        outlive(self, [self._thread])

    def _put(self, task: Callable[[], None]) -> None:
        with self._condition:
            self._tasks.append(task)
            self._condition.notify()

    def _work(self) -> None:
        while True:
            with self._condition:
                self._running = False
                while not self._tasks and not self._stopped:
                    unsettled = self._live is not None and not self._live.settled
                    if not self._condition.wait(_SETTLE_AFTER_S if unsettled else None) and unsettled:
                        self._tasks.append(self._settle)
                if self._stopped:
                    return
                task = self._tasks.popleft()
                self._running = True
            try:
                task()
            except LatherError as error:
                self._live = None
                self.finished.emit(None, 0.0, log.expected(_log, error))
            except Exception as error:  # the pen must go on working whatever happened to one stroke
                self._live = None
                self.finished.emit(None, 0.0, log.unexpected(
                    _log, error, phrase("This stroke could not be computed (%1); the job is unchanged.", error)))

    def _begin(self, job: Job, stage_id: str, layer_id: str, stroke: Stroke) -> None:
        self._laid_on = job, stage_id, layer_id
        self._live = LiveStroke(self._engine, job, stage_id, layer_id, stroke)

    def _extend(self, waiting: list[np.ndarray], level: int, visible: Rect) -> None:
        with self._condition:
            points = np.concatenate(waiting)
            waiting.clear()
        live = self._live
        if live is None:
            return
        dirty = live.extend(points)
        if dirty.empty:
            return
        rect = dirty.at_level(level).intersect(visible)
        if not rect.empty:
            self.painted.emit(LivePixels(rect, level, self._converter.bgrx(live.pixels(rect, level))))
        self.disagrees.emit(live.disagreement)
        self._seen = (level, visible)

    def _settle(self) -> None:
        live = self._live
        if live is None or live.settled or self._seen is None:
            return
        level, visible = self._seen
        rect = live.settle().at_level(level).intersect(visible)
        if not rect.empty:
            self.painted.emit(LivePixels(rect, level, self._converter.bgrx(live.pixels(rect, level))))
        self.disagrees.emit(live.disagreement)

    def _end(self) -> None:
        live, self._live = self._live, None
        if live is not None:
            done = live.finish()
            edit, message = (None, "") if done.edit is None else self.then(done.edit, *self._laid_on)
            self.finished.emit(edit, done.fit, message or done.message)
