"""From pen events to strokes: which tool, which source, what the pointer shows. Sits between canvas and job."""

import time

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.brush.build_up import coverage_of_pass
from lather.core.errors import RequestError
from lather.core.find.under_pointer import look_under
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.job.source_map import affine, turn_from_landmarks
from lather.core.stages.mend.source_warning import source_warning
from lather.core.stages.mend.sweep import SweepHint, sweep_hint
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_hatched_stroke, draw_inner_ring, draw_link, draw_ring, draw_tag
from lather.desktop.canvas.stroke_worker import LivePixels, StrokeWorker
from lather.desktop.input.brush_state import WAITING_TOOLS, WHOLE_TOOLS, BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.open_job import OpenJob

_GHOST_SECONDS = 2.4
_HOLD_INTERVAL_MS = 50
_LEAST_MOVE_PX = 0.3
_LOOK_EVERY_S = 0.08


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
        self.worker.answered.connect(self._answered)
        self.held: set[str] = set()
        self.selected: Stroke | None = None
        self._down = False
        self._waiting = False
        self._stroke: Stroke | None = None
        self._stage_id, self._layer_id, self._job_at_press = "mend", "", self.job.job
        self._last: PenEvent | None = None
        self._trail: list[tuple[float, float]] = []
        self._started = 0.0
        self._ghost: tuple[Stroke, float, float] | None = None
        self._disagreement = 0.0
        self._grab: tuple[QPointF, float, float] | None = None
        self._grab_moved = False
        self._line: list[tuple[float, float]] = []
        self._source_line: tuple[tuple[float, float], tuple[float, float]] | None = None
        self._hint: SweepHint | None = None
        self._warning = ""
        self._looked_at = (0.0, 0.0, 0.0)
        self.keeper_near = lambda x, y, reach: None
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
        if self._line and event.kind != "press":
            self._take_line(event)
            return
        if event.kind == "move" and not event.down:
            self._look(event)
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

    def follow(self, event: PenEvent) -> None:
        """Know where the pointer is while another control has the pen."""
        self._last = None if event.kind == "leave" else event

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
        if action == "drag_size" and self._grab is not None and not self._grab_moved:
            self.propose_size()
        self._grab, self._grab_moved = None, False
        self.canvas.update()

    def propose_size(self) -> None:
        """Size and edge measured from what lies under the pointer."""
        if self._last is None:
            return
        if self.state.tool == "sweep":
            if self._hint is not None:
                self.state.change(size_px=self._hint.size_px)
                self.brush_changed.emit()
            return
        found = look_under(self.canvas.engine.photo, self._last.x, self._last.y)
        if found is None:
            self.message.emit("The skin is even here; there is nothing to measure.")
            return
        self.state.change(size_px=found.size_px, edge=found.edge)
        self.brush_changed.emit()

    def _dragging_values(self) -> None:
        at, first, second = self._grab
        way = self.canvas.pointer - at
        self._grab_moved = self._grab_moved or way.manhattanLength() > 3
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
            self._line = [(event.x, event.y)]
            return
        tool = "give_back" if event.shift else self.state.tool
        offset = None
        if tool in ("carry", "copy"):
            offset = self.state.offset_at(event.x, event.y)
            if offset is None:
                self.message.emit("Hold A and touch the skin to take first.")
                return
            self.state.offset = offset if self.state.aligned else None
            self.state.turn = self.state.turned(event.x, event.y) or self.state.turn
        turn = self.state.turn if tool in ("carry", "copy") and not self.state.turn.plain else None
        self._stroke = Stroke(new_id(), tool, self.state.brush, freeze_points([[event.x, event.y, 1, 0]]),
                              offset=offset, mode=self.state.mode, turn=turn, fence=self.state.fence,
                              own_texture=tool == "copy" and self.state.takes_tone_only)
        layer = self.job.ensure_layer()
        self._down, self._ghost, self._disagreement = True, None, 0.0
        self._trail = [(event.x, event.y)]
        self._started = event.seconds
        self._stage_id, self._layer_id, self._job_at_press = self.job.stage_id, layer.id, self.job.job
        self.worker.begin(self.canvas.viewed(self._job_at_press), self._stage_id, layer.id, self._stroke)
        self._send(event)
        if self.state.brush.build_up and tool not in WAITING_TOOLS:
            self._hold.start()

    def _take_line(self, event: PenEvent) -> None:
        """A was held: a touch takes the source; a line takes it from landmark to landmark.

        A second line, drawn where the skin should go (with Shift, or when a source line waits), aligns the two.
        """
        if event.kind == "move":
            if event.down:
                self._line = [self._line[0], (event.x, event.y)]
            self.canvas.update()
            return
        start, end = self._line[0], (event.x, event.y)
        self._line = []
        long = max(abs(end[0] - start[0]), abs(end[1] - start[1])) * self.canvas.view.scale > 12
        if not self.state.needs_source:
            self.state.tool = "carry"
        if long and self._source_line is not None:
            try:
                self.state.align(*turn_from_landmarks(self._source_line, (start, end), mirror=self.state.turn.mirror))
                turn = self.state.turn
                self.message.emit(f"Aligned: turned {turn.rotation_deg:.0f}°, {turn.scale * 100:.0f} %. Paint.")
            except RequestError as error:
                self.message.emit(error.message)
            self._source_line = None
        elif long:
            self._source_line = (start, end)
            self.state.take(*start)
            self.message.emit("Source line taken. Hold A and draw the same line where this skin should go.")
        else:
            self._source_line = None
            self.state.take(*start)
            self.message.emit("Source taken. Now paint where this skin should go.")
        self.brush_changed.emit()
        self.canvas.update()

    def _look(self, event: PenEvent) -> None:
        """While hovering: the way along the form for Sweep, what is wrong with the source for Carry and Copy."""
        tool = self.state.tool
        if tool not in ("sweep", "carry", "copy") or not self.worker.idle():
            return
        x, y, when = self._looked_at
        near = abs(event.x - x) + abs(event.y - y) < 2 / self.canvas.view.scale
        if near or event.seconds - when < _LOOK_EVERY_S:
            return
        self._looked_at = (event.x, event.y, event.seconds)
        engine, job, size = self.canvas.engine, self.job.job, self.state.brush.size_px
        bounds, stage_id = engine.photo.bounds, self.job.stage_id

        def read(rect):
            return engine.pixels(job, rect, 0, stage_id)

        if tool == "sweep":
            self.worker.ask(lambda: ("sweep", sweep_hint(read, event.x, event.y, size, bounds)))
            return
        offset = self.state.offset_at(event.x, event.y)
        if offset is not None:
            finds, edits = job.finds or (), [e for layer in job.stage(stage_id).layers for e in layer.edits]
            place = (event.x, event.y, size, offset, bounds)
            self.worker.ask(lambda: ("source", source_warning(read, *place, finds, edits)))

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "sweep":
            self._hint = answer[1]
        elif isinstance(answer, tuple) and answer[0] == "source":
            self._warning = answer[1]
        else:
            return
        self.canvas.update()

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
        if self._stroke.tool in WAITING_TOOLS:
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
        if all(layer.id != self._layer_id for layer in self.job.job.stage(self._stage_id).layers):
            self.canvas.store.drop_live()
            self.message.emit("The layer was removed while you painted; the stroke went with it.")
            return
        if stroke.tool == "dab":
            self.show_ghost(stroke, fit)
        self.job.do(AddEdits(self._stage_id, self._layer_id, (stroke,)))
        idle = self.would_do_nothing()
        if idle:
            self.message.emit(idle)
        self.settled.emit()

    def show_ghost(self, stroke: Stroke, fit: float) -> None:
        """Show for a while where a mend took its skin from."""
        self._ghost = (stroke, fit, time.monotonic())
        self._ghost_timer.start(int(_GHOST_SECONDS * 1000))

    @property
    def ghost(self) -> Stroke | None:
        """The last Dab while its source is shown, or the mend picked in the list."""
        return self._ghost[0] if self._ghost is not None else self.selected

    def _end_ghost(self) -> None:
        self._ghost = None
        self.canvas.update()

    # pointer

    def would_do_nothing(self) -> str:
        """Why a stroke would not show; empty if it would."""
        stage, layer = self.job.stage, self.job.layer
        if not stage.on or stage.strength == 0:
            return f"the stage {self.job.info.label} is off: nothing shows"
        if layer is None:
            return ""
        if not layer.on or layer.strength == 0:
            return f"{layer.name} is off: nothing shows"
        return ""

    def effective_strength(self) -> float:
        """Coverage of a pass × layer × stage, 0-1: the one number a stroke comes to."""
        layer = self.job.layer
        if not self.job.stage.on or (layer is not None and not layer.on):
            return 0.0
        brush = self.state.brush
        once = brush.ceiling if self.state.tool in WHOLE_TOOLS else coverage_of_pass(brush)
        return once * (layer.strength if layer is not None else 1.0) * self.job.stage.strength

    def _outside_fence(self) -> bool:
        fence = self.state.fence
        if fence is None or self._last is None:
            return False
        return not fence.reaches(self._last.x, self._last.y, self.state.brush.size_px / 2)

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        """Everything over the photo; device pixels."""
        if canvas.mode != "after" or canvas.panning:
            return
        scale = canvas.view.scale
        if self.selected is not None and not self._down:
            self._draw_edit(painter, self.selected)
        if self._stroke is not None and self._stroke.tool in WAITING_TOOLS and self._trail:
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
        if self._line:
            start, end = (QPointF(*canvas.view.to_screen(*p)) for p in (self._line[0], self._line[-1]))
            draw_link(painter, start, end, 0)
            return
        self._draw_source(painter, canvas, at, radius)
        if self.state.tool == "sweep" and self._hint is not None and not self._down:
            way = QPointF(*self._hint.direction) * max(radius, 24)
            draw_link(painter, at - way, at + way, 0)
        draw_ring(painter, at, radius)
        if brush.edge > 0.05 and radius > 8:
            draw_inner_ring(painter, at, radius * (1 - brush.edge))
        text = self._pointer_text()
        if text and self._ghost is None:
            draw_tag(painter, at.x() + radius + 10, at.y() - radius - 6, text)

    def _draw_source(self, painter: QPainter, canvas: PhotoCanvas, at: QPointF, radius: float) -> None:
        """The ring where it is taken from, and (not turned) what would be laid down, inside the pointer."""
        offset = self.state.offset_at(self._last.x, self._last.y) if self.state.needs_source else None
        turn = self.state.turned(self._last.x, self._last.y)
        if self._down and self._stroke is not None:
            offset, turn = self._stroke.offset, self._stroke.turn
        if offset is None:
            return
        if not self._down and turn is None:
            canvas.draw_source_inside(painter, at, radius, offset)
        x, y = affine(offset, turn) @ (self._last.x, self._last.y, 1)
        taken = QPointF(*canvas.view.to_screen(float(x), float(y)))
        draw_ring(painter, taken, radius / (turn.scale if turn else 1), taking=True)

    def _pointer_text(self) -> str:
        keeper = None
        if self._last is not None and self.state.tool != "give_back":
            keeper = self.keeper_near(self._last.x, self._last.y, self.state.brush.size_px / 2)
        if keeper is not None:
            return f"keeper here: {keeper.label.lower()}"
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
        if self.state.needs_source and self._warning:
            return self._warning
        if self._outside_fence():
            return "outside the fence: nothing will be laid"
        if self.state.tool == "sweep" and self._hint is not None:
            return f"along the line · about {self._hint.size_px:.0f} px wide (tap S)"
        strength = self.effective_strength()
        if strength < 0.03:
            return f"only {strength * 100:.0f} % in one stroke"
        return f"{strength * 100:.0f} % in one stroke" if strength < 0.995 else ""
