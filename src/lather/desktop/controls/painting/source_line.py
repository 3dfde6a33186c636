"""Where skin is taken from: a touch with A held takes the source; a line takes it from landmark to landmark."""

import logging

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.errors import RequestError
from lather.core.job.source_map import turn_from_landmarks
from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent

_log = logging.getLogger(__name__)
_LEAST_LINE_PX = 12  # on the screen; shorter is a touch


class SourceLine(QObject):
    """`line`: the one being drawn, source px, empty when none is. A second line, drawn where the skin should go, aligns
    the two. `taken()` after the source is another.
    """

    taken = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, state: BrushState, parent=None):
        super().__init__(parent)
        self.canvas, self.state = canvas, state
        self.line: list[tuple[float, float]] = []
        self._source: tuple[tuple[float, float], tuple[float, float]] | None = None

    def begin(self, event: PenEvent) -> None:
        self.line = [(event.x, event.y)]

    def follow(self, event: PenEvent) -> None:
        """Take an event while a line is being drawn."""
        if event.kind == "move":
            if event.down:
                self.line = [self.line[0], (event.x, event.y)]
            self.canvas.update()
            return
        start, end = self.line[0], (event.x, event.y)
        self.line = []
        long = max(abs(end[0] - start[0]), abs(end[1] - start[1])) * self.canvas.view.scale > _LEAST_LINE_PX
        if not self.state.needs_source:
            self.state.tool = "carry"
        if long and self._source is not None:
            self._align(start, end)
        elif long:
            self._source = (start, end)
            self.state.take(*start)
            self.message.emit("Source line taken. Hold {take_source} and draw the same line where this skin should go.")
        else:
            self._source = None
            self.state.take(*start)
            self.message.emit("Source taken. Now paint where this skin should go.")
        self.taken.emit()
        self.canvas.update()

    def _align(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        try:
            self.state.align(*turn_from_landmarks(self._source, (start, end), mirror=self.state.turn.mirror))
            turn = self.state.turn
            self.message.emit(phrase("Aligned: turned %1°, %2 %. Paint.", f"{turn.rotation_deg:.0f}",
                                     f"{turn.scale * 100:.0f}"))
        except RequestError as error:
            self.message.emit(log.expected(_log, error))
        self._source = None
