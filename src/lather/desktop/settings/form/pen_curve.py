"""The pen's curve as a graph, with a place to try it: the dot runs along the line as the tip presses."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.desktop.input.pressure import PressureCurve, curve
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_POINTS, _MARGIN_PX, _TRY_WIDEST_PX = 60, 8, 15.0


class PenCurve(QWidget):
    """Left the graph, right a place to paint in with the pen. `tried(pressure, given)` as the tip presses."""

    tried = pyqtSignal(float, float)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setAccessibleName("Pen curve: pressure to the right, what it gives upwards; paint at the right to try it")
        self.setFixedHeight(118)
        self._line: list[tuple[QPointF, float]] = []
        self._pressure: float | None = None

    def sizeHint(self) -> QSize:
        return QSize(300, 118)

    def graph(self) -> QRectF:
        side = self.height() - 2 * _MARGIN_PX
        return QRectF(_MARGIN_PX, _MARGIN_PX, side, side)

    def pad(self) -> QRectF:
        """Where it is tried."""
        left = self.graph().right() + 14
        return QRectF(left, _MARGIN_PX, self.width() - left - 1, self.height() - 2 * _MARGIN_PX)

    def tabletEvent(self, event) -> None:
        pressed = float(event.pressure())
        if event.type() == event.Type.TabletPress:
            self._line = []
        self._pressure = pressed if event.type() != event.Type.TabletRelease else None
        if self._pressure:
            given = curve()(pressed)
            self._line.append((event.position(), given))
            self.tried.emit(pressed, given)
        self.update()
        event.accept()

    def paintEvent(self, event) -> None:
        painter, t, feel = QPainter(self), theme(), curve()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.graph()
        painter.setPen(QPen(QColor(t.line), 1))
        painter.setBrush(QColor(t.panel))
        painter.drawRect(box)
        painter.setPen(QPen(QColor(t.line), 1, Qt.PenStyle.DashLine))
        painter.drawLine(box.bottomLeft(), box.topRight())
        painter.setPen(QPen(QColor(t.accent), 2))
        painter.drawPolyline(QPolygonF([_place(box, feel, i / _POINTS) for i in range(_POINTS + 1)]))
        if self._pressure is not None:
            painter.setBrush(QColor(t.accent))
            painter.drawEllipse(_place(box, feel, self._pressure), 4.5, 4.5)
        pad = self.pad()
        painter.setPen(QPen(QColor(t.line), 1))
        painter.setBrush(QColor(t.panel))
        painter.drawRoundedRect(pad, 5, 5)
        if not self._line:
            painter.setFont(font(SMALL_PT))
            painter.setPen(QColor(t.quiet_ink))
            painter.drawText(pad, int(Qt.AlignmentFlag.AlignCenter), tr("paint here with the pen"))
        painter.setClipRect(pad)
        for (one, _), (other, given) in zip(self._line, self._line[1:]):
            painter.setPen(QPen(QColor(t.ink), max(0.3, _TRY_WIDEST_PX * given), cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(one, other)


def _place(box: QRectF, feel: PressureCurve, pressure: float) -> QPointF:
    return QPointF(box.left() + box.width() * pressure, box.bottom() - box.height() * feel(pressure))
