"""What became of each flaw, drawn on the picture: one shape for each outcome, the same in the legend."""

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.core.phrases import phrase
from lather.core.practice.outcome import GONE, HURT, KEPT, LEFT, SMEARED, FlawOutcome
from lather.desktop.theme.tokens import theme

_SIZE_PX = 9.0
_DARK = QColor(20, 20, 20, 150)


def draw_mark(painter: QPainter, at: QPointF, state: str) -> None:
    """A ring with a tick, a dashed ring, waves, a crossed frame, a small frame."""
    for colour, more in ((_DARK, 2.2), (_colour(state), 0.0)):
        pen = QPen(colour, 1.7 + more, cap=Qt.PenCapStyle.RoundCap, join=Qt.PenJoinStyle.RoundJoin)
        if state == LEFT:
            pen.setDashPattern([2.2, 1.8] if not more else [1.6, 1.1])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        x, y, r = at.x(), at.y(), _SIZE_PX
        if state in (GONE, LEFT):
            painter.drawEllipse(at, r, r)
        if state == GONE:
            painter.drawPolyline(QPolygonF([QPointF(x - 4, y), QPointF(x - 1, y + 3), QPointF(x + 4.4, y - 3.4)]))
        elif state == SMEARED:
            for lift in (-4, 1, 6):
                wave = QPainterPath(QPointF(x - r, y + lift))
                for n in range(1, 13):
                    wave.lineTo(x - r + n * r / 6, y + lift + 2.4 * math.sin(n * math.pi / 3))
                painter.drawPath(wave)
        elif state in (HURT, KEPT):
            for sx in (-1, 1):
                for sy in (-1, 1):
                    corner = QPointF(x + sx * r, y + sy * r)
                    painter.drawPolyline(QPolygonF([corner - QPointF(sx * 5, 0), corner, corner - QPointF(0, sy * 5)]))
            if state == HURT:
                painter.drawLine(QPointF(x - 5, y - 5), QPointF(x + 5, y + 5))
                painter.drawLine(QPointF(x + 5, y - 5), QPointF(x - 5, y + 5))


def _colour(state: str) -> QColor:
    return QColor({GONE: "#ffffff", KEPT: "#ffffff", HURT: "#ff7a63"}.get(state, "#f0c060"))


def mark_text(one: FlawOutcome) -> str:
    """What is told at the pointer."""
    kind = str(one.flaw["kind"]).replace("_", " ")
    words = {GONE: "gone", LEFT: "left", SMEARED: "smeared", KEPT: "kept", HURT: "a keeper, mended"}[one.state]
    cost = f" · {one.points:+.1f}" if one.points else ""
    return phrase("%1: %2, %3 ΔE%4", kind, words, f"{one.error_de:.1f}", cost)


class MarkSign(QWidget):
    """The shape of an outcome, for the legend."""

    def __init__(self, state: str, parent=None):
        super().__init__(parent)
        self._state = state
        self.setFixedSize(30, 24)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme().surround))
        painter.drawRoundedRect(QRectF(self.rect()), 4, 4)
        draw_mark(painter, QPointF(15, 12), self._state)
