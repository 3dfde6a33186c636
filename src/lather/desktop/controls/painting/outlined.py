"""A tool that is drawn as an outline: each outline becomes an edit at once, with the values in hand."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_outline, draw_tag
from lather.desktop.controls.painting.outline_trail import OutlineTrail
from lather.desktop.controls.painting.spared import Spared
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_LEAST_SIDE_PX = 6.0


class OutlineControl(QObject):
    """Takes the pen while its tool is in hand. The next outline gets the same values, so one drawing is all it takes.

    `laid(Stroke)` after an outline became an edit. prompt(): what stands at the pointer before anything is drawn.
    """

    message = pyqtSignal(object)
    laid = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState, tool: str, prompt,
                 spared: Spared, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.state, self.tool, self.prompt = canvas, job, state, tool, prompt
        self.spared = spared
        self._trail = OutlineTrail()
        self._last: Stroke | None = None

    @property
    def active(self) -> bool:
        return self.state.tool == self.tool

    def pen_event(self, event: PenEvent) -> bool:
        """True if the event was for the outline."""
        if not self.active or event.context or event.shift:
            return False
        used = self._trail.follow(event, self._finish)
        self.canvas.update()
        return used

    def _finish(self, trail: list[tuple[float, float]]) -> None:
        corners = np.array(trail, float)
        if len(corners) < 3 or np.ptp(corners, axis=0).min() < _LEAST_SIDE_PX:
            self.message.emit("Draw an outline around the skin to even; a touch alone is no outline.")
            return
        points = np.column_stack([corners, np.ones(len(corners)), np.zeros(len(corners))])
        state = self.state
        self._lay(Stroke(new_id(), self.tool, state.brush, freeze_points(points), mode=state.mode, fence=state.fence,
                         feather=state.area_feather_px))

    def _lay(self, stroke: Stroke) -> None:
        layer = self.job.ensure_layer()
        self._last = stroke
        stroke = self.spared.kept_inside(stroke, layer)
        self.job.do(AddEdits(self.job.stage_id, layer.id, (stroke,)))
        self.laid.emit(stroke)

    def again(self) -> bool:
        """The last outline once more (a second pass). False if there is none."""
        if not self.active or self._last is None:
            return False
        self._lay(replace(self._last, id=new_id(), brush=self.state.brush, feather=self.state.area_feather_px,
                          mode=self.state.mode))
        return True

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self._trail.places:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self._trail.places])
        elif canvas.pointer is not None:
            draw_tag(painter, canvas.pointer.x() + 14, canvas.pointer.y() - 14, self.prompt())
