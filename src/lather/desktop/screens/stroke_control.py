"""From pen events to strokes: which tool, which source, what the pointer shows. Sits between canvas and job."""

import time

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.brush.build_up import coverage_of_pass
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_hatched_stroke, draw_inner_ring, draw_link, draw_ring, draw_tag
from lather.desktop.canvas.stroke_worker import LivePixels, StrokeWorker
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.open_job import OpenJob

_GHOST_SECONDS = 1.6
_HOLD_INTERVAL_MS = 50
_LEAST_MOVE_PX = 0.3


class StrokeControl(QObject):
    """Paints on the layer in hand. `brush_changed()` after a hold-and-drag; `message(text)` for the person."""

    brush_changed = pyqtSignal()
    message = pyqtSignal(str)
    settled = pyqtSignal()

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.state = canvas, job, state
        self.worker = StrokeWorker(canvas.engine, canvas.converter, self)
        self.worker.painted.connect(self._painted)
        self.worker.finished.connect(self._finished)
        self.worker.disagrees.connect(self._disagrees)
        canvas.pen.connect(self.pen_event)
        canvas.overlay = self.draw
        self.held: set[str] = set()
        self.selected: Stroke | None = None
        self._down = False
        self._waiting = False
        self._stroke: Stroke | None = None
        self._layer_id, self._job_at_press = "", self.job.job
        self._last: PenEvent | None = None
        self._trail: list[tuple[float, float]] = []
        self._started = 0.0
        self._ghost: tuple[Stroke, float, float] | None = None
        self._disagreement = 0.0
        self._grab: tuple[QPointF, float, float] | None = None
        self._hold = QTimer(self)
        self._hold.setInterval(_HOLD_INTERVAL_MS)
        self._hold.timeout.connect(self._held_still)
        self._ghost_timer = QTimer(self)
        self._ghost_timer.setSingleShot(True)
        self._ghost_timer.timeout.connect(self._end_ghost)

    @property
    def painting(self) -> bool:
        return self._down or self._waiting

    def close(self) -> None:
        self._hold.stop()
        self.worker.stop()

    # events

    def pen_event(self, event: PenEvent) -> None:
        if event.kind == "leave":
            self._last = None
            return
        before, self._last = self._last, event
        if self.canvas.mode != "after":
            return
        if event.kind == "press" and not event.context:
            self._press(event)
        elif event.kind == "move" and self._down:
            self._move(event, before)
        elif event.kind == "move" and self._grab is not None and self.canvas.pointer is not None:
            self._dragging_values()
        elif event.kind == "release":
            self._grab = None
            self._release(event)
        if not self._down:
            self.canvas.update()

    def hold(self, action: str) -> None:
        """A key that changes what a touch does is down: A, S or D."""
        self.held.add(action)
        if action in ("drag_size", "drag_ceiling") and self.canvas.pointer is not None:
            brush = self.state.brush
            values = (brush.size_px, brush.edge) if action == "drag_size" else (brush.ceiling, brush.flow)
            self._grab = (QPointF(self.canvas.pointer), *values)
        self.canvas.update()

    def let_go(self, action: str) -> None:
        self.held.discard(action)
        self._grab = None
        self.canvas.update()

    def _dragging_values(self) -> None:
        at, first, second = self._grab
        way = self.canvas.pointer - at
        if "drag_size" in self.held:
            self.state.change(size_px=first * 2 ** (way.x() / 120), edge=second - way.y() / 200)
        elif "drag_ceiling" in self.held:
            self.state.change(ceiling=max(0.01, first + way.x() / 200), flow=max(0.01, second - way.y() / 200))
        self.brush_changed.emit()
        self.canvas.update()

    def _press(self, event: PenEvent) -> None:
        if self._down or self._waiting or self.held & {"drag_size", "drag_ceiling"}:
            return
        if "take_source" in self.held:
            self.state.take(event.x, event.y)
            if not self.state.needs_source:
                self.state.tool = "carry"
                self.brush_changed.emit()
            self.message.emit("Source taken. Now paint where this skin should go.")
            return
        layer = self.job.layer
        if layer is None:
            self.message.emit("There is no layer to paint on; add one first.")
            return
        tool = "give_back" if event.shift else self.state.tool
        offset = None
        if tool in ("carry", "copy"):
            offset = self.state.offset_at(event.x, event.y)
            if offset is None:
                self.message.emit("Hold A and touch the skin to take first.")
                return
            self.state.offset = offset if self.state.aligned else None
        self._stroke = Stroke(new_id(), tool, self.state.brush, freeze_points([[event.x, event.y, 1, 0]]),
                              offset=offset, mode=self.state.mode)
        self._down, self._ghost, self._disagreement = True, None, 0.0
        self._trail = [(event.x, event.y)]
        self._started = event.seconds
        self._layer_id, self._job_at_press = layer.id, self.job.job
        self.worker.begin(self._job_at_press, "mend", layer.id, self._stroke)
        self._send(event)
        if self.state.brush.build_up and tool != "dab":
            self._hold.start()

    def _send(self, event: PenEvent, seconds: float | None = None) -> None:
        seconds = event.seconds if seconds is None else seconds
        point = np.array([[event.x, event.y, event.pressure, seconds - self._started]], np.float32)
        level = self.canvas.level
        self.worker.extend(point, level, self.canvas.view.visible(self.canvas.picture, level))

    def _move(self, event: PenEvent, before: PenEvent | None) -> None:
        if before is not None and abs(event.x - before.x) + abs(event.y - before.y) < _LEAST_MOVE_PX:
            return
        self._trail.append((event.x, event.y))
        self._send(event)
        if self._stroke.tool == "dab":
            self.canvas.update()

    def _held_still(self) -> None:
        if self._down and self._last is not None:
            self._send(self._last, time.monotonic())

    def _release(self, event: PenEvent) -> None:
        if not self._down:
            return
        self._hold.stop()
        self._down, self._waiting = False, True
        self.worker.end(self._job_at_press, self._layer_id)

    def give_up(self) -> None:
        """Drop the stroke under the pen; the job is as before."""
        if self._down or self._waiting:
            self.worker.cancel()
            self._hold.stop()
            self._down = self._waiting = False
            self._stroke = None
            self.canvas.store.drop_live()
            self.canvas.ask()
            self.canvas.update()

    # results

    def _painted(self, live: LivePixels) -> None:
        if self._stroke is not None:
            self.canvas.show_live(live.rect, live.level, live.bgrx)

    def _disagrees(self, share: float) -> None:
        self._disagreement = share

    def _finished(self, stroke: Stroke | None, fit: float, message: str) -> None:
        if self._stroke is None:
            return  # it was given up meanwhile
        self._waiting, self._stroke, self._trail = False, None, []
        if message:
            self.message.emit(message)
        if stroke is None:
            self.canvas.store.drop_live()
            self.canvas.update()
            self.settled.emit()
            return
        if all(layer.id != self._layer_id for layer in self.job.mend.layers):
            self.canvas.store.drop_live()
            self.message.emit("The layer was removed while you painted; the stroke went with it.")
            return
        if stroke.tool == "dab":
            self._ghost = (stroke, fit, time.monotonic())
            self._ghost_timer.start(int(_GHOST_SECONDS * 1000))
        self.job.do(AddEdits("mend", self._layer_id, (stroke,)))
        idle = self.would_do_nothing()
        if idle:
            self.message.emit(idle)
        self.settled.emit()

    def _end_ghost(self) -> None:
        self._ghost = None
        self.canvas.update()

    # pointer

    def would_do_nothing(self) -> str:
        """Why a stroke would not show; empty if it would."""
        stage, layer = self.job.mend, self.job.layer
        if layer is None:
            return "no layer"
        if not stage.on or stage.strength == 0:
            return "the stage Mend is off: nothing shows"
        if not layer.on or layer.strength == 0:
            return f"{layer.name} is off: nothing shows"
        return ""

    def effective_strength(self) -> float:
        """Coverage of a pass × layer × stage, 0-1: the one number a stroke comes to."""
        layer = self.job.layer
        if layer is None or not layer.on or not self.job.mend.on:
            return 0.0
        brush = self.state.brush
        once = brush.ceiling if self.state.tool == "dab" else coverage_of_pass(brush)
        return once * layer.strength * self.job.mend.strength

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        """Everything over the photo; device pixels."""
        if canvas.mode != "after" or canvas.panning:
            return
        scale = canvas.view.scale
        if self.selected is not None and not self._down:
            self._draw_edit(painter, self.selected)
        if self._stroke is not None and self._stroke.tool == "dab" and self._trail:
            points = [QPointF(*canvas.view.to_screen(x, y)) for x, y in self._trail]
            draw_hatched_stroke(painter, points, self._stroke.brush.size_px * scale, time.monotonic() * 12 % 8)
        if self._ghost is not None:
            self._draw_edit(painter, self._ghost[0])
            self._ghost_tag(painter)
        if canvas.pointer is not None and self._last is not None:
            self._draw_pointer(painter, canvas)

    def _draw_edit(self, painter: QPainter, edit: Stroke) -> None:
        view = self.canvas.view
        area = edit.bounds
        centre = QPointF(*view.to_screen((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2))
        radius = max(area.width, area.height) / 2 * view.scale
        draw_ring(painter, centre, radius)
        if edit.offset is not None:
            taken = centre + QPointF(*edit.offset) * view.scale
            draw_ring(painter, taken, radius, taking=True)
            draw_link(painter, centre, taken, radius)

    def _ghost_tag(self, painter: QPainter) -> None:
        stroke, fit, _ = self._ghost
        area = stroke.bounds
        left = stroke.offset[0] > 0  # on the side away from the source
        x, y = self.canvas.view.to_screen(area.x0 if left else area.x1, (area.y0 + area.y1) / 2)
        text = f"{stroke.brush.size_px:.0f} px · skin from here fits {fit * 100:.0f} %"
        draw_tag(painter, x - 12 if left else x + 12, y, text, right=left)

    def _draw_pointer(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        brush, at = self.state.brush, canvas.pointer
        radius = brush.size_px / 2 * canvas.view.scale
        if "take_source" in self.held:
            draw_ring(painter, at, radius, taking=True)
            draw_tag(painter, at.x() + radius + 10, at.y() - radius - 6, "take from here")
            return
        offset = self.state.offset_at(self._last.x, self._last.y) if self.state.needs_source else None
        if self._down and self._stroke is not None:
            offset = self._stroke.offset
        if offset is not None:
            if not self._down:
                canvas.draw_source_inside(painter, at, radius, offset)
            taken = at + QPointF(*offset) * canvas.view.scale
            draw_ring(painter, taken, radius, taking=True)
        draw_ring(painter, at, radius)
        if brush.edge > 0.05 and radius > 8:
            draw_inner_ring(painter, at, radius * (1 - brush.edge))
        text = self._pointer_text()
        if text and self._ghost is None:
            draw_tag(painter, at.x() + radius + 10, at.y() - radius - 6, text)

    def _pointer_text(self) -> str:
        if self._down:
            return "the border does not fit here" if self._disagreement > 0.35 else ""
        if self._grab is not None:
            b = self.state.brush
            if "drag_size" in self.held:
                return f"{b.size_px:.0f} px · edge {b.edge * 100:.0f} %"
            return f"ceiling {b.ceiling * 100:.0f} % · flow {b.flow * 100:.0f} %"
        idle = self.would_do_nothing()
        if idle:
            return idle
        if self.state.needs_source and self.state.source is None:
            return "hold A and touch the skin to take"
        strength = self.effective_strength()
        if strength < 0.03:
            return f"only {strength * 100:.0f} % in one stroke"
        return f"{strength * 100:.0f} % in one stroke" if strength < 0.995 else ""
