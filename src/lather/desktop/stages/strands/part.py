"""Strands on the desk: which hairs are listed, and safe ground shown as a hatch."""

from PyQt6.QtGui import QImage, QPainter

from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.strands.panel import StrandsPanel


class StrandsPart(StagePart):
    empty = ("No hairs cleared by hand yet.\n\nPaint along a hair: the path is laid on it, and the ground from both "
             "its sides closes over it.")
    hint = ("{next_find} steps through the hairs, {mend_find} clears one; or clear all listed. Paint along a hair to "
            "clear it yourself.")

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.panel = StrandsPanel()
        self.panel.filtered.connect(self._filter)
        self.panel.ground_shown.connect(self._show_ground)
        self._ground_shown = False
        self._ground: QImage | None = None
        desk.measured.ready.connect(self._measured)

    def _measured(self) -> None:
        self._ground = None
        self.canvas.update()

    def _filter(self, sensitivity: float, soft_share: float) -> None:
        self.desk.found.set_filter(sensitivity=sensitivity, soft_share=soft_share)
        self.canvas.update()

    def _show_ground(self, on: bool) -> None:
        self._ground_shown = on
        if on and self.desk.measured.measures is None:
            self.message.emit("Measuring the background; it is shown as soon as it is known.")
            self.desk.measured.ask()
        self.canvas.update()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        measures = self.desk.measured.measures
        if self._ground_shown and measures is not None:
            if self._ground is None:
                self._ground = hatched(measures.ground)
            draw_hatch(painter, canvas, self._ground)
