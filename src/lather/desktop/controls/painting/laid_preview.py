"""What a touch of Dab, Carry or Copy would lay down here, at half strength inside the ring while the pen rests."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QPointF, QRectF, QTimer
from PyQt6.QtGui import QPainter

from lather.core.engine.live import LiveStroke
from lather.core.job.commands import AddEdits
from lather.core.job.model import Job, Stroke
from lather.core.types import Rect
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.display import TileImage
from lather.desktop.canvas.pointer import inside_ring
from lather.desktop.canvas.stroke_worker import StrokeWorker

TOOLS_SHOWN = ("dab", "carry", "copy")
_RESTS_MS = 140
_MOST_PX = 240  # of a brush: a larger one would keep the next stroke waiting
_STILL_PX = 1.5  # of the screen
STRENGTH = 0.5
Trial = tuple[Stroke, Job, str, str]
"""(stroke, job, stage, layer)."""


@dataclass(frozen=True)
class _Laid:
    """Finished pixels of a rectangle of a level, as they would be after a touch at (x, y). of: with what."""

    x: float
    y: float
    rect: Rect
    level: int
    image: TileImage
    of: tuple


class LaidPreview(QObject):
    """trial(): the touch that a press would make here, or None. of(): all that it depends on beside the place."""

    def __init__(self, canvas: PhotoCanvas, worker: StrokeWorker, trial: Callable[[], Trial | None],
                 of: Callable[[], tuple], parent=None):
        super().__init__(parent)
        self.canvas, self.worker, self._trial, self._of = canvas, worker, trial, of
        self.shown: _Laid | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_RESTS_MS)
        self._rest.timeout.connect(self._ask)
        worker.answered.connect(self._answered)

    def moved(self, x: float, y: float) -> None:
        """The pointer is somewhere else, pen up."""
        if self.shown is not None and self._off(x, y, self.shown):
            self.shown = None
        self._rest.start()

    def drop(self) -> None:
        self.shown = None
        self._rest.stop()

    def _off(self, x: float, y: float, laid: _Laid) -> bool:
        return abs(x - laid.x) + abs(y - laid.y) > _STILL_PX / self.canvas.view.scale

    def _ask(self) -> None:
        trial = self._trial()
        if trial is None or not self.worker.idle() or trial[0].brush.size_px > _MOST_PX:
            return
        level = self.canvas.level
        visible, of = self.canvas.view.visible(self.canvas.picture, level), self._of()
        self.worker.ask(lambda: ("laid", self._laid(trial, level, visible, of)))

    def _laid(self, trial: Trial, level: int, visible: Rect, of: tuple) -> _Laid | None:
        engine, (stroke, job, stage_id, layer_id) = self.canvas.engine, trial
        live = LiveStroke(engine, job, stage_id, layer_id, stroke)
        live.extend(stroke.points)
        edit = live.finish().edit
        if edit is not None:  # as it would be laid down: off contours, or not at all
            edit, _ = self.worker.then(edit, job, stage_id, layer_id)
        if edit is None:
            return None
        rect = edit.bounds.intersect(engine.photo.bounds).at_level(level).intersect(visible)
        if rect.empty:
            return None
        pixels = engine.pixels(AddEdits(stage_id, layer_id, (edit,)).apply(job), rect, level)
        x, y = (float(v) for v in stroke.points[0, :2])
        return _Laid(x, y, rect, level, TileImage(self.canvas.converter.bgrx(pixels)), of)

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "laid":
            trial, laid = self._trial(), answer[1]
            fits = laid is not None and trial is not None and not self._off(*trial[0].points[0, :2], laid)
            self.shown = laid if fits else None
            self.canvas.update()

    def draw(self, painter: QPainter, at: QPointF, radius: float) -> None:
        laid = self.shown
        if laid is None:
            return
        if any(now is not was and now != was for now, was in zip(self._of(), laid.of)):
            self.shown = None  # another brush, another job: worked out again
            self._rest.start()
            return
        with inside_ring(painter, at, radius):
            painter.setOpacity(STRENGTH)
            self.canvas.painter.draw_image(painter, QRectF(self.canvas.painter.screen_rect(laid.rect, laid.level)),
                                           laid.image.image)
