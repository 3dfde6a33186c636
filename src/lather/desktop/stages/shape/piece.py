"""Stretch: a piece is outlined first, then an edge of it is drawn to where it is to be."""

import numpy as np
from PyQt6.QtCore import QObject, QPointF, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.brush.values import Brush
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_link, draw_outline, draw_tag
from lather.desktop.controls.painting.outline_trail import OutlineTrail
from lather.desktop.input.pen import PenEvent

_GRAB_PX, _LEAST_SIDE_PX, _LEAST_PULL_PX = 12.0, 5.0, 0.3


class Piece(QObject):
    """`drawn(Stroke, finished)`: the edit as it is now; finished when the pen is lifted. `message(text)`."""

    drawn = pyqtSignal(object, bool)
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, parent=None):
        super().__init__(parent)
        self.canvas = canvas
        self._trail = OutlineTrail()
        self.corners: np.ndarray | None = None
        self._pull: list[tuple[float, float]] = []
        self._id, self._from = "", (0.0, 0.0)

    def pen_event(self, event: PenEvent) -> bool:
        if event.context or event.kind == "leave":
            return False
        if self._pull:
            self._draw_on(event)
        elif event.kind == "press" and self._on_rim(event):
            self._pull, self._id = [(event.x, event.y)], new_id()
            self._from = self.canvas.above(event.x, event.y)
        elif event.kind == "press" or self._trail.places:
            if event.kind == "press":
                self.corners = None
            self._trail.follow(event, self._outlined)
        self.canvas.update()
        return True

    def drop(self) -> None:
        self._trail.drop()
        self.corners, self._pull = None, []
        self.canvas.update()

    def _outlined(self, trail: list[tuple[float, float]]) -> None:
        corners = np.array(trail, float)
        if len(corners) < 3 or np.ptp(corners, axis=0).min() < _LEAST_SIDE_PX:
            self.message.emit("Draw an outline around one piece, a tooth for instance; a touch alone is no outline.")
            return
        self.corners = corners
        self.message.emit("Now draw an edge of the outline to where it is to be. Esc drops the outline.")

    def _on_rim(self, event: PenEvent) -> bool:
        """True where the pen is near the outline."""
        if self.corners is None:
            return False
        grab = _GRAB_PX / self.canvas.view.scale
        at = np.array([event.x, event.y])
        a, b = self.corners, np.roll(self.corners, -1, axis=0)
        along = np.clip(((at - a) * (b - a)).sum(1) / np.maximum(((b - a) ** 2).sum(1), 1e-9), 0, 1)
        return bool(np.hypot(*(a + along[:, None] * (b - a) - at).T).min() < grab)

    def _draw_on(self, event: PenEvent) -> None:
        if event.kind not in ("move", "release"):
            return
        (x0, y0), finished = self._pull[0], event.kind == "release"
        x, y = self.canvas.above(event.x, event.y)  # its way as it is seen: the edge goes along
        way = x - self._from[0], y - self._from[1]
        self._pull = [(x0, y0), way]
        if np.hypot(*way) > _LEAST_PULL_PX:
            self.drawn.emit(self._stroke((x0, y0, x0 + way[0], y0 + way[1])), finished)
        if finished:
            self._pull = []

    def _stroke(self, pull: tuple[float, float, float, float]) -> Stroke:
        points = np.column_stack([self.corners, np.ones(len(self.corners)), np.zeros(len(self.corners))])
        return Stroke(self._id, "stretch", Brush(size_px=60, edge=1.0), freeze_points(points), pull=pull)

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self._trail.places:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self._trail.places])
        elif self.corners is not None:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self.corners])
        if len(self._pull) == 2:
            way = self._pull[1]
            a = QPointF(*canvas.view.to_screen(*self._from))
            b = a + canvas.on_screen(*way)
            draw_link(painter, a, b, 0)
            draw_tag(painter, b.x() + 14, b.y() - 14, phrase("drawn %1 px", f"{np.hypot(*way):.1f}"))
        elif canvas.pointer is not None and not self._trail.places:
            text = "outline one piece" if self.corners is None else "draw an edge of it"
            draw_tag(painter, canvas.pointer.x() + 14, canvas.pointer.y() - 14, text)
