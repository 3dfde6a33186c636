"""The fence: drawn as an outline, or grown from a touched place to the edges around it."""

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.job.fence import Fence
from lather.core.stages.mend.grow_fence import grow_fence
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_outline, draw_tag
from lather.desktop.canvas.stroke_worker import StrokeWorker
from lather.desktop.controls.painting.outline_trail import OutlineTrail
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent

_TOUCH_PX = 4.0


class FenceControl(QObject):
    """While `drawing`, the pen draws the fence. `changed()` when the fence or the mode is another."""

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, state: BrushState, worker: StrokeWorker, parent=None):
        super().__init__(parent)
        self.canvas, self.state, self.worker = canvas, state, worker
        worker.answered.connect(self._answered)
        self.drawing = False
        self._trail = OutlineTrail()

    def set_drawing(self, on: bool) -> None:
        self.drawing = on
        self._trail.drop()
        if on:
            self.message.emit("Draw an outline around the area, or touch a place to grow the fence to its edges.")
        self.changed.emit()
        self.canvas.update()

    def remove(self) -> None:
        self.state.fence = None
        self.set_drawing(False)

    def set_feather(self, feather_px: float) -> None:
        self.state.fence_feather_px = feather_px
        if self.state.fence is not None:
            self.state.fence = Fence(self.state.fence.rings, feather_px)
        self.canvas.update()

    def pen_event(self, event: PenEvent) -> bool:
        if not self.drawing or event.context:
            return False
        used = self._trail.follow(event, self._finish)
        self.canvas.update()
        return used

    def _finish(self, trail: list[tuple[float, float]]) -> None:
        points = np.array(trail)
        feather = self.state.fence_feather_px
        if np.ptp(points, axis=0).max() * self.canvas.view.scale > _TOUCH_PX and len(trail) > 2:
            self._take(Fence((tuple((float(x), float(y)) for x, y in trail),), feather))
            return
        photo, (x, y) = self.canvas.engine.photo, trail[0]
        near = self.canvas.view.visible(self.canvas.picture)
        self.worker.ask(lambda: ("fence", grow_fence(photo, x, y, feather_px=feather, near=near)))

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "fence":
            if answer[1] is None:
                self.message.emit("Nothing grows from here; draw the fence as an outline.")
            else:
                self._take(answer[1])

    def _take(self, fence: Fence) -> None:
        self.state.fence = fence
        self.set_drawing(False)
        self.message.emit("Fence set: strokes stay inside it until it is removed.")

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self._trail.places:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self._trail.places], accent=True)
        if self.state.fence is not None:
            for ring in self.state.fence.rings:
                draw_outline(painter, [canvas.to_screen(x, y) for x, y in ring], accent=True)
        if self.drawing and canvas.pointer is not None and not self._trail.places:
            draw_tag(painter, canvas.pointer.x() + 14, canvas.pointer.y() - 14, "fence: outline, or touch to grow")
