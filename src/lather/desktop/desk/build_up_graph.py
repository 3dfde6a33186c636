"""Coverage against the number of passes for the present brush, with the passes to half and to 90 %."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.core.brush.build_up import coverage_after, passes_to_reach
from lather.core.brush.values import Brush
from lather.core.phrases import phrase
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme


class BuildUpGraph(QWidget):
    """A small plot; the numbers say what the curve shows."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setFixedSize(118, 60)
        self._brush = Brush()
        self.set_brush(self._brush)

    def sizeHint(self) -> QSize:
        return QSize(118, 60)

    def set_brush(self, brush: Brush) -> None:
        self._brush = brush
        half, most = passes_to_reach(brush, 0.5), passes_to_reach(brush, 0.9)
        self.text = "lays down nothing" if half is None else phrase("half in %1 · 90 % in %2", half, most)
        self.setAccessibleName(phrase("Build-up: %1", self.text))
        self.setToolTip(tr("Coverage after so many strokes over the same place"))
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.panel))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        plot = QRectF(10, 7, self.width() - 20, 30)
        painter.setPen(QPen(QColor(t.line), 1, Qt.PenStyle.DashLine))
        for share in (0.5, 0.9):
            y = plot.bottom() - share * plot.height()
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        most = passes_to_reach(self._brush, 0.9) or 1
        count = max(4, min(60, round(most * 1.4)))
        passes = np.arange(count + 1)
        coverage = coverage_after(self._brush, passes)
        points = [
            QPointF(plot.left() + n / count * plot.width(), plot.bottom() - c * plot.height())
            for n, c in zip(passes, coverage)
        ]
        painter.setPen(QPen(QColor(t.accent), 1.7))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setPen(QColor(t.quiet_ink))
        painter.setFont(font(7.6))
        painter.drawText(QRectF(4, 40, self.width() - 8, 16), Qt.AlignmentFlag.AlignCenter, tr(self.text))
