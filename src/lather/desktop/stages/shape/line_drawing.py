"""A line behind, drawn from end to end to be held; one that was found nearby is taken whole."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.measure.lines_behind import LineBehind
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_link, draw_tag
from lather.desktop.input.pen import PenEvent

_NEAR_SHARE = 0.02  # of the long side: a line drawn so near to one that was found is that one


class LineDrawing(QObject):
    """`drawn(parts, name)`: what is to be held. `message(text)`."""

    drawn = pyqtSignal(object, str)
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, parent=None):
        super().__init__(parent)
        self._canvas = canvas
        self._ends: list[tuple[float, float]] = []

    def pen_event(self, event: PenEvent, lines: Sequence[LineBehind]) -> bool:
        """True if the event was for the line. lines: those that were found."""
        if event.context or (event.kind != "press" and not self._ends):
            return False
        if event.kind == "press":
            self._ends = [(event.x, event.y)]
        elif event.kind == "move":
            self._ends = [self._ends[0], (event.x, event.y)]
        elif event.kind == "release":
            line, self._ends = np.array([self._ends[0], (event.x, event.y)], float), []
            self._finish(line, lines)
        self._canvas.update()
        return event.kind != "leave"

    def _finish(self, line: np.ndarray, lines: Sequence[LineBehind]) -> None:
        reach = _NEAR_SHARE * max(self._canvas.picture.width, self._canvas.picture.height)
        if np.hypot(*(line[1] - line[0])) < 2 * reach:
            self.message.emit("Draw along the line, from one end of it to the other.")
            return
        near = next((one for one in lines if _beside(one, line) < reach), None)
        if near is None:
            self.drawn.emit(((tuple(line[0]), tuple(line[1])),), "Line by hand")
        else:
            self.drawn.emit(near.parts, near.name)

    def drop(self) -> None:
        self._ends = []

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if len(self._ends) == 2:
            draw_link(painter, *(canvas.to_screen(*place) for place in self._ends), 0)
        elif canvas.pointer is not None:
            draw_tag(painter, canvas.pointer.x() + 14, canvas.pointer.y() - 14, "draw along a line behind")


def _beside(line: LineBehind, drawn: np.ndarray) -> float:
    """How far the ends of a drawn line lie from one that was found, px."""
    start, end = np.array(line.start), np.array(line.end)
    along = (end - start) / max(1e-6, line.length)
    across = np.array([-along[1], along[0]])
    return float(np.abs((drawn - start) @ across).max())
