"""How far an output is, as a small drawn sign: told by its shape as well as by the words beside it."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.desktop.theme.tokens import theme

NONE, DONE, RUNNING, ASKS, FAILED = "", "done", "running", "asks", "failed"


class StateMark(QWidget):
    """A tick in a disc, part of a ring, a warning triangle, a cross."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.state, self.share = NONE, 0.0
        self.setFixedSize(18, 18)

    def show_state(self, state: str, share: float = 0.0) -> None:
        self.state, self.share = state, share
        self.update()

    def paintEvent(self, event) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(2, 2, 14, 14)
        if self.state == DONE:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent))
            painter.drawEllipse(box)
            painter.setPen(QPen(QColor(t.on_accent), 1.7, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPolyline(QPolygonF([QPointF(5.6, 9.2), QPointF(8, 11.6), QPointF(12.4, 6.6)]))
        elif self.state == RUNNING:
            painter.setPen(QPen(QColor(t.track), 2.4))
            painter.drawEllipse(box.adjusted(1, 1, -1, -1))
            painter.setPen(QPen(QColor(t.accent), 2.4))
            painter.drawArc(box.adjusted(1, 1, -1, -1), 90 * 16, -round(360 * 16 * max(0.04, self.share)))
        elif self.state == ASKS:
            painter.setPen(QPen(QColor(t.near_text), 1.5, join=Qt.PenJoinStyle.RoundJoin))
            painter.drawPolygon(QPolygonF([QPointF(9, 2.5), QPointF(16, 15), QPointF(2, 15)]))
            painter.drawLine(QPointF(9, 7), QPointF(9, 10.6))
            painter.drawPoint(QPointF(9, 12.8))
        elif self.state == FAILED:
            painter.setPen(QPen(QColor(t.over), 2, cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(QPointF(4.5, 4.5), QPointF(13.5, 13.5))
            painter.drawLine(QPointF(13.5, 4.5), QPointF(4.5, 13.5))
