"""Graft: an outline drawn by hand, a donor proposed, dragged to where it fits, laid down as one edit."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from PyQt6.QtCore import QObject, QPointF, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core import ranges
from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.phrases import phrase
from lather.core.stages.mend.dab import source_candidates
from lather.core.stages.mend.graft import try_graft
from lather.core.stages.mend.source_search import Candidate
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_misfits, draw_outline, draw_tag
from lather.desktop.canvas.stroke_worker import StrokeWorker
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_LEAST_AREA_PX = 30.0
_LEAST_STEP_PX = 2.0


@dataclass(frozen=True)
class _Tried:
    """Answer of the worker: the graft as it would look, and where its border does not fit."""

    serial: int
    stroke: Stroke | None
    candidates: list[Candidate]
    misfits: np.ndarray
    disagreement: float
    rect: object = None
    level: int = 0
    bgrx: np.ndarray | None = None


class GraftControl(QObject):
    """Takes the pen while the Graft tool is in hand. `message(text)`; `settled()` when nothing is being tried."""

    message = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, worker: StrokeWorker, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.state, self.worker = canvas, job, state, worker
        worker.answered.connect(self._answered)
        self.pending: Stroke | None = None
        self.candidates: list[Candidate] = []
        self.disagreement = 0.0
        self.trying = False
        self._misfits = np.zeros((0, 2))
        self._trail: list[tuple[float, float]] = []
        self._dragging: tuple[float, float, tuple[int, int]] | None = None
        self._serial = 0
        self._layer_id = ""

    @property
    def active(self) -> bool:
        return self.state.tool == "graft"

    def pen_event(self, event: PenEvent) -> bool:
        """True if the event was for the graft."""
        if not self.active or event.context:
            return False
        if event.kind == "press":
            self._press(event)
        elif event.kind == "move" and event.down:
            self._move(event)
        elif event.kind == "release":
            self._release()
        self.canvas.update()
        return event.kind != "leave"

    def _press(self, event: PenEvent) -> None:
        if self.pending is not None:
            if self._inside(event, self.pending.offset) or self._inside(event, (0, 0)):
                if self.pending.offset is not None:
                    self._dragging = (event.x, event.y, self.pending.offset)
                return
            self.lay_down()
        if self.job.layer is None:
            self.message.emit("There is no layer to paint on; add one first.")
            return
        self._trail = [(event.x, event.y)]

    def _inside(self, event: PenEvent, offset: tuple[int, int] | None) -> bool:
        if offset is None:
            return False
        outline = np.ascontiguousarray(self.pending.points[:, None, :2], np.float32)
        return cv2.pointPolygonTest(outline, (event.x - offset[0], event.y - offset[1]), False) >= 0

    def _move(self, event: PenEvent) -> None:
        if self._dragging is not None:
            x, y, offset = self._dragging
            self.pending = replace(
                self.pending, offset=(round(offset[0] + event.x - x), round(offset[1] + event.y - y))
            )
            self._try(self.pending, search=False)
        elif self._trail and np.hypot(event.x - self._trail[-1][0], event.y - self._trail[-1][1]) > _LEAST_STEP_PX:
            self._trail.append((event.x, event.y))

    def _release(self) -> None:
        if self._dragging is not None:
            self._dragging = None
            return
        trail, self._trail = self._trail, []
        if len(trail) < 3:
            if trail:
                self.message.emit("Draw an outline around the place; a touch alone is no outline.")
            return
        xs, ys = np.array(trail).T
        area = abs(np.dot(xs, np.roll(ys, 1)) - np.dot(ys, np.roll(xs, 1))) / 2
        if area < _LEAST_AREA_PX:
            self.message.emit("This outline holds next to nothing; draw it around the place.")
            return
        size = ranges.BRUSH_SIZE_PX.hold(float(np.sqrt(area)))
        brush = Brush(size_px=size, edge=self.state.brush.edge, ceiling=self.state.brush.ceiling)
        points = freeze_points([[x, y, 1, 0] for x, y in trail])
        self._layer_id = self.job.layer.id
        self._try(Stroke(new_id(), "graft", brush, points, fence=self.state.fence), search=True)

    def _try(self, stroke: Stroke, *, search: bool) -> None:
        """Have the worker find a donor (with `search`) and show the result."""
        self._serial += 1
        self.pending, self.trying = stroke, True
        serial, job, layer_id, engine = self._serial, self.job.job, self._layer_id, self.canvas.engine
        level, converter = self.canvas.level, self.canvas.converter
        visible = self.canvas.view.visible(self.canvas.picture, level)
        held = self.candidates

        def work() -> _Tried:
            nothing = np.zeros((0, 2))
            if serial != self._serial:
                return _Tried(serial, None, held, nothing, 0.0)
            found, own = held, stroke
            if search:
                found = source_candidates(engine, job, layer_id, stroke, avoid=job.finds or ())
                if not found:
                    return _Tried(serial, None, [], nothing, 0.0)
                own = replace(stroke, offset=found[0].offset)
            trial = try_graft(engine, job, layer_id, own)
            rect = own.bounds.at_level(level).intersect(visible)
            bgrx = None if rect.empty else converter.bgrx(engine.pixels(trial.job, rect, level))
            return _Tried(serial, own, found, trial.misfits, trial.disagreement, rect, level, bgrx)

        self.worker.ask(work)

    def _answered(self, tried: object) -> None:
        if not isinstance(tried, _Tried) or tried.serial != self._serial:
            return
        self.trying = False
        if tried.stroke is None:
            self.give_up()
            self.message.emit("No fitting skin near enough for this outline; try a smaller one, or Carry.")
            return
        self.pending = replace(tried.stroke, offset=tried.stroke.offset)
        self.candidates, self._misfits, self.disagreement = tried.candidates, tried.misfits, tried.disagreement
        self.canvas.store.drop_live()
        if tried.bgrx is not None:
            self.canvas.show_live(tried.rect, tried.level, tried.bgrx)
        self.canvas.update()
        self.settled.emit()

    def next_source(self) -> bool:
        """The next proposed donor; False if no graft is waiting."""
        if self.pending is None or len(self.candidates) < 2:
            return self.pending is not None
        offsets = [c.offset for c in self.candidates]
        at = offsets.index(self.pending.offset) if self.pending.offset in offsets else -1
        self._try(replace(self.pending, offset=offsets[(at + 1) % len(offsets)]), search=False)
        return True

    def lay_down(self) -> bool:
        """Make the waiting graft an edit; False if none waits."""
        stroke = self.pending
        if stroke is None or stroke.offset is None:
            return False
        self._forget()
        if any(layer.id == self._layer_id for layer in self.job.stage.layers):
            self.job.do(AddEdits(self.job.stage_id, self._layer_id, (stroke,)))
        self.canvas.store.drop_live()
        self.canvas.ask()
        return True

    def give_up(self) -> bool:
        if self.pending is None and not self._trail:
            return False
        self._forget()
        self.canvas.store.drop_live()
        self.canvas.ask()
        self.canvas.update()
        return True

    def _forget(self) -> None:
        self._serial += 1
        self.pending, self._trail, self._dragging, self.trying = None, [], None, False
        self.candidates, self._misfits, self.disagreement = [], np.zeros((0, 2)), 0.0

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        view = canvas.view
        if self._trail:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self._trail])
        stroke = self.pending
        if stroke is None:
            return
        here = [canvas.to_screen(float(x), float(y)) for x, y in stroke.points[:, :2]]
        draw_outline(painter, here)
        if stroke.offset is not None:
            way = QPointF(*stroke.offset) * view.scale
            draw_outline(painter, [p + way for p in here], taking=True)
        draw_misfits(painter, [canvas.to_screen(float(x), float(y)) for x, y in self._misfits[::3]])
        top = min(here, key=lambda p: p.y())
        if stroke.offset is None:
            text = "looking for skin …"
        elif self.disagreement > 0.06:
            text = phrase("%1 % of the border does not fit · drag the dashed outline", f"{self.disagreement * 100:.0f}")
        else:
            text = "Return lays it down · F next skin · drag to move · Esc"
        draw_tag(painter, top.x() + 10, top.y() - 18, text)
