"""What is found out while the pen hovers: the way along the form for Sweep, what is wrong with a chosen source."""

from PyQt6.QtCore import QObject

from lather.core.stages.mend.source_warning import source_warning
from lather.core.stages.mend.sweep import SweepHint, sweep_hint
from lather.core.tools.registry import TOOLS
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.stroke_worker import StrokeWorker
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_EVERY_S = 0.08


class HoverLook(QObject):
    """hint: of the last place, for Sweep. warning: what speaks against the source of Carry and Copy, or ""."""

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, worker: StrokeWorker, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.state, self.worker = canvas, job, state, worker
        worker.answered.connect(self._answered)
        self.hint: SweepHint | None = None
        self.warning = ""
        self._looked_at = (0.0, 0.0, 0.0)

    def look(self, event: PenEvent) -> None:
        tool = self.state.tool
        if not (tool == "sweep" or TOOLS[tool].by_choice) or not self.worker.idle():
            return
        x, y, when = self._looked_at
        near = abs(event.x - x) + abs(event.y - y) < 2 / self.canvas.view.scale
        if near or event.seconds - when < _EVERY_S:
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
            self.hint = answer[1]
        elif isinstance(answer, tuple) and answer[0] == "source":
            self.warning = answer[1]
        else:
            return
        self.canvas.update()
