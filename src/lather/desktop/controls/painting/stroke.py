"""From pen events to strokes on the layer in hand. Sits between canvas and job."""

import time

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.brush.build_up import coverage_of_pass
from lather.core.job.commands import AddEdits, AddLayer
from lather.core.job.fence import Fence
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.source_map import SourceTurn
from lather.core.phrases import phrase
from lather.core.tools.registry import TOOLS
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.stroke_worker import LivePixels, StrokeWorker
from lather.desktop.controls.painting.hover import HoverLook
from lather.desktop.controls.painting.laid_preview import TOOLS_SHOWN, LaidPreview
from lather.desktop.controls.painting.source_line import SourceLine
from lather.desktop.controls.painting.spared import LEFT_OUT, Spared
from lather.desktop.controls.painting.value_drag import HELD, ValueDrag
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_SOURCE_SHOWN_MS = 2400
_HOLD_INTERVAL_MS = 50
_LEAST_MOVE_PX = 0.3


class StrokeControl(QObject):
    """Paints on the layer in hand. `brush_changed()` after a hold-and-drag; `message(text)` for the person.

    source, values, hover: what the held keys A, S and D do, and what is found out while hovering. preview: what a touch
    would lay down here. last: where the pen
    was seen. stroke, trail: the one under the pen. shown_source: (mend, fit) while it is shown where its skin is from.
    """

    brush_changed = pyqtSignal()
    message = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.state = canvas, job, state
        self.worker = StrokeWorker(canvas.engine, canvas.converter, self)
        self.worker.painted.connect(self._painted)
        self.worker.finished.connect(self._finished)
        self.worker.disagrees.connect(self._disagrees)
        self.hover = HoverLook(canvas, job, state, self.worker, self)
        self.source = SourceLine(canvas, state, self)
        self.values = ValueDrag(canvas, state, self.hover, self)
        self.source.taken.connect(self.brush_changed)
        self.values.changed.connect(self.brush_changed)
        for part in (self.source, self.values):
            part.message.connect(self.message)
        self.spared = Spared(canvas, job, state)
        self.preview = LaidPreview(canvas, self.worker, self._trial, self._shown_of, self)
        self.worker.then = self.spared.off_contours
        self.held: set[str] = set()
        self.selected: Stroke | None = None
        self.last: PenEvent | None = None
        self.stroke: Stroke | None = None
        self.trail: list[tuple[float, float]] = []
        self.disagreement = 0.0
        self.shown_source: tuple[Stroke, float] | None = None
        self.keeper_near = lambda x, y, reach: None
        self.stage_text = lambda: ""
        self.stage_stroke = lambda stroke: stroke
        self._down = self._waiting = False
        self._stage_id, self._layer_id = "mend", ""
        self._by_hand: Fence | None = None
        self._started = 0.0
        self._hold = QTimer(self)
        self._hold.setInterval(_HOLD_INTERVAL_MS)
        self._hold.timeout.connect(self._held_still)
        self._source_timer = QTimer(self)
        self._source_timer.setSingleShot(True)
        self._source_timer.timeout.connect(self._hide_source)

    @property
    def painting(self) -> bool:
        """True until the stroke has become an edit."""
        return self._down or self._waiting

    @property
    def painting_now(self) -> bool:
        """True while the pen is down."""
        return self._down

    def close(self) -> None:
        self._hold.stop()
        self.worker.stop()

    # events

    def pen_event(self, event: PenEvent) -> None:
        if event.kind == "leave":
            self.last = None
            self.preview.drop()
            return
        before, self.last = self.last, event
        if self.canvas.mode != "after":
            return
        if self.source.line and event.kind != "press":
            self.source.follow(event)
            return
        if event.kind == "move" and not event.down:
            self.hover.look(event)
            self.preview.moved(event.x, event.y)
        if event.kind == "press" and not event.context:
            self._press(event)
        elif event.kind == "move" and self._down:
            self._move(event, before)
        elif event.kind == "move":
            self.values.follow()
        elif event.kind == "release":
            self.values.end()
            self._release(event)
        if not self._down:
            self.canvas.update()

    def follow(self, event: PenEvent) -> None:
        """Know where the pointer is while another control has the pen."""
        self.last = None if event.kind == "leave" else event

    def hold(self, action: str) -> None:
        """A key that changes what a touch does is down: A, S or D."""
        self.held.add(action)
        if action in HELD:
            self.values.hold(action)
        self.spared.also = self.spared.also or action == "also_parts"
        self.canvas.update()

    def let_go(self, action: str) -> None:
        self.held.discard(action)
        if action in HELD:
            self.values.let_go(action, self.last)
        self.spared.also = self.spared.also and action != "also_parts"
        self.canvas.update()

    def _press(self, event: PenEvent) -> None:
        if self._down or self._waiting or self.held & set(HELD):
            return
        if "take_source" in self.held:
            self.source.begin(event)
            return
        stroke = self._begun(event)
        stroke = None if stroke is None else self.stage_stroke(stroke)
        if stroke is None:
            return
        self.preview.drop()
        layer = self.job.ensure_layer()
        self._by_hand = stroke.fence
        stroke = self.stroke = self.spared.kept_inside(stroke, layer)
        self._down, self.shown_source, self.disagreement = True, None, 0.0
        self.trail = [(event.x, event.y)]
        self._started = event.seconds
        self._stage_id, self._layer_id = self.job.stage_id, layer.id
        self.worker.begin(self.canvas.viewed(self.job.job), self._stage_id, layer.id, stroke)
        self._send(event)
        if stroke.brush.build_up and not TOOLS[stroke.tool].waits:
            self._hold.start()

    def _trial(self) -> tuple[Stroke, Job, str, str] | None:
        """(stroke, job, stage, layer) of a touch where the pen is, as a press would begin it; None where what it gives
        is not to be shown, or would not be seen.
        """
        place, state, layer = self.last, self.state, self.job.layer
        if place is None or state.tool not in TOOLS_SHOWN or self.painting or self.held or self.canvas.mode != "after":
            return None
        offset = state.offset_at(place.x, place.y) if state.needs_source else None
        if (state.needs_source and offset is None) or self.would_do_nothing():
            return None
        job, stage_id = self.job.job, self.job.stage_id
        if layer is None or layer.kind not in self.job.info.kinds:
            layer = Layer("preview", "", self.job.info.kind.id)
            job = AddLayer(stage_id, layer, 0).apply(job)
        stroke = self._made("preview", state.tool, place, offset, state.turned(place.x, place.y))
        return self.spared.kept_inside(stroke, layer), self.canvas.viewed(job), stage_id, layer.id

    def _made(self, stroke_id: str, tool: str, place: PenEvent, offset: tuple[int, int] | None,
              turn: SourceTurn | None) -> Stroke:
        """A stroke with the values in hand that begins at a place."""
        state = self.state
        stroke = Stroke(stroke_id, tool, state.brush, freeze_points([[place.x, place.y, 1, 0]]), offset=offset,
                        mode=state.mode_of(tool), turn=turn, fence=state.fence,
                        own_texture=tool == "copy" and state.takes_tone_only)
        return self.spared.whole_mark(stroke)

    def _shown_of(self) -> tuple:
        """What a preview shows, beside the place: it is out of date when any of it is another."""
        state = self.state
        return (state.tool, state.brush, state.mode, state.source, state.fence, self.job.job, self.job.stage_id,
                self.job.layer_id)

    def _begun(self, event: PenEvent) -> Stroke | None:
        """The stroke that a touch begins; None, and a word why, if it cannot."""
        state = self.state
        tool = TOOLS[state.tool].shifted if event.shift else state.tool
        offset = turn = None
        if TOOLS[tool].by_choice:
            offset = state.offset_at(event.x, event.y)
            if offset is None:
                self.message.emit("Hold {take_source} and touch the skin to take first.")
                return None
            state.offset = offset if state.aligned else None
            state.turn = state.turned(event.x, event.y) or state.turn
            turn = None if state.turn.plain else state.turn
        stroke = self._made(new_id(), tool, event, offset, turn)
        if stroke.brush.size_px != state.brush.size_px:
            self.message.emit(phrase("Laid at %1 px: a smaller brush would leave a part of the mark. Hold {also_parts} "
                                     "for the size in hand.", f"{stroke.brush.size_px:.0f}"))
        return stroke

    def _send(self, event: PenEvent, seconds: float | None = None) -> None:
        seconds = event.seconds if seconds is None else seconds
        point = np.array([[event.x, event.y, event.pressure, seconds - self._started]], np.float32)
        level = self.canvas.level
        self.worker.extend(point, level, self.canvas.view.visible(self.canvas.picture, level))

    def _move(self, event: PenEvent, before: PenEvent | None) -> None:
        if before is not None and abs(event.x - before.x) + abs(event.y - before.y) < _LEAST_MOVE_PX:
            return
        self.trail.append((event.x, event.y))
        self._send(event)
        if TOOLS[self.stroke.tool].waits:
            self.canvas.update()

    def _held_still(self) -> None:
        if self._down and self.last is not None:
            self._send(self.last, time.monotonic())

    def _release(self, event: PenEvent) -> None:
        if not self._down:
            return
        self._hold.stop()
        self._down, self._waiting = False, True
        self.worker.end()

    def give_up(self) -> None:
        """Drop the stroke under the pen; the job is as before."""
        if self._down or self._waiting:
            self.worker.cancel()
            self._hold.stop()
            self._down = self._waiting = False
            self.stroke = None
            self.canvas.store.drop_live()
            self.canvas.ask()
            self.canvas.update()

    # results

    def _painted(self, live: LivePixels) -> None:
        if self.stroke is not None:
            self.canvas.show_live(live.rect, live.level, live.bgrx)

    def _disagrees(self, share: float) -> None:
        self.disagreement = share

    def _finished(self, stroke: Stroke | None, fit: float, message: str) -> None:
        if self.stroke is None:
            return  # it was given up meanwhile
        self._hold.stop()
        self._down = self._waiting = False  # one that could not be computed ends while the pen is still down
        spared = self.stroke.fence is not self._by_hand
        self.stroke, self.trail = None, []
        if message:
            self.message.emit(LEFT_OUT if stroke is None and spared else message)
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
            self.show_source(stroke, fit)
        self.job.do(AddEdits(self._stage_id, self._layer_id, (stroke,)))
        idle = self.would_do_nothing()
        if idle:
            self.message.emit(idle)
        self.settled.emit()

    def show_source(self, stroke: Stroke, fit: float) -> None:
        """Show for a while where a mend took its skin from."""
        self.shown_source = (stroke, fit)
        self._source_timer.start(_SOURCE_SHOWN_MS)

    @property
    def ghost(self) -> Stroke | None:
        """The last Dab while its source is shown, or the mend picked in the list."""
        return self.shown_source[0] if self.shown_source is not None else self.selected

    def _hide_source(self) -> None:
        self.shown_source = None
        self.canvas.update()

    # what a stroke would do

    def would_do_nothing(self) -> str:
        """Why a stroke would not show; empty if it would."""
        stage, layer = self.job.stage, self.job.layer
        if not stage.on or stage.strength == 0:
            return phrase("the stage %1 is off: nothing shows", self.job.info.label)
        if layer is None:
            return ""
        if not layer.on or layer.strength == 0:
            return phrase("%1 is off: nothing shows", layer.name)
        return ""

    def effective_strength(self) -> float:
        """Coverage of a pass × layer × stage, 0-1: the one number a stroke comes to."""
        layer = self.job.layer
        if not self.job.stage.on or (layer is not None and not layer.on):
            return 0.0
        brush = self.state.brush
        once = brush.ceiling if TOOLS[self.state.tool].whole else coverage_of_pass(brush)
        return once * (layer.strength if layer is not None else 1.0) * self.job.stage.strength
