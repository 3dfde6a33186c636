"""Area: an outline drawn on the photo, whose tone is smoothed; it says when light and shade were mixed."""

from lather.core.job.model import Stroke
from lather.core.phrases import phrase
from lather.core.stages.split.area import mixes_light_and_shade
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.stroke_worker import StrokeWorker
from lather.desktop.controls.painting.outlined import OutlineControl
from lather.desktop.controls.painting.spared import Spared
from lather.desktop.input.brush_state import BrushState
from lather.desktop.opening.open_job import OpenJob


class AreaControl(OutlineControl):
    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, worker: StrokeWorker, spared: Spared,
                 parent=None):
        super().__init__(canvas, job, state, "area", self._prompt, spared, parent)
        self.worker = worker
        worker.answered.connect(self._answered)
        self.laid.connect(self._check)

    def _prompt(self) -> str:
        return "outline skin of one light" if self.state.mode == "any" else "outline to flatten"

    def _check(self, stroke: Stroke) -> None:
        engine, job, stage_id = self.canvas.engine, self.job.job, self.job.stage_id

        def check():
            photo = engine.photo
            return "area", mixes_light_and_shade(stroke, lambda rect: engine.pixels(job, rect, 0, stage_id),
                                                 photo.bounds)

        self.worker.ask(check)

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "area" and answer[1] is not None:
            self.message.emit(phrase("This outline holds a highlight and a shadow (%1 ΔL* apart): evened together "
                                     "they turn grey. Undo, and draw one around each.", f"{answer[1]:.0f}"))
