"""A curve drawn by its points, with the picture's histogram behind it."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.phrases import phrase
from lather.core.stages.adjust.curve import LEAST_APART, MOST_POINTS, STRAIGHT, held, table
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_HEIGHT, _ROOM, _GRAB_PX, _POINT_PX = 138, 7, 11, 4.5
_OUT_PX = 26  # pulled so far out of the box, a point is dropped
_STEP = 0.005
Points = tuple[tuple[float, float], ...]


class CurveEditor(QWidget):
    """`changed(points, dragging)`. A press on the curve adds a point, a drag moves it, pulled out of the box (or with
    Delete, or a double click) it goes; arrow keys move the one in hand.
    """

    changed = pyqtSignal(object, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.points: Points = STRAIGHT
        self.histogram: np.ndarray | None = None
        self._grabbed: int | None = None
        self.in_hand: int | None = None
        self.setFixedHeight(_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self._name()

    def sizeHint(self) -> QSize:
        return QSize(220, _HEIGHT)

    def show_curve(self, points: Points) -> None:
        self.points = tuple((float(x), float(y)) for x, y in points)
        if self.in_hand is not None and self.in_hand >= len(self.points):
            self.in_hand = None
        self._name()
        self.update()

    def show_histogram(self, counts: np.ndarray | None) -> None:
        """counts: of L*, over as many equal parts of 0-100 as there are."""
        self.histogram = counts
        self.update()

    def _name(self) -> None:
        told = ", ".join(phrase("L* %1 to %2", f"{100 * x:.0f}", f"{100 * y:.0f}") for x, y in self.points)
        self.setAccessibleName(phrase("Curve: %1", told))

    # places

    def _box(self) -> QRectF:
        return QRectF(_ROOM, _ROOM, self.width() - 2 * _ROOM, self.height() - 2 * _ROOM)

    def place(self, x: float, y: float) -> QPointF:
        """Of a value in and out, 0-1, in the widget."""
        box = self._box()
        return QPointF(box.left() + x * box.width(), box.bottom() - y * box.height())

    def _value(self, at: QPointF) -> tuple[float, float]:
        box = self._box()
        return (at.x() - box.left()) / box.width(), (box.bottom() - at.y()) / box.height()

    def _near(self, at: QPointF) -> int | None:
        far = [(self.place(x, y) - at).manhattanLength() for x, y in self.points]
        nearest = int(np.argmin(far))
        return nearest if far[nearest] < _GRAB_PX else None

    # hands

    def mousePressEvent(self, event) -> None:
        at = event.position()
        self._grabbed = self._near(at)
        if self._grabbed is None and len(self.points) < MOST_POINTS:
            self._grabbed = self._added(*self._value(at))
        self.in_hand = self._grabbed
        self.update()

    def _added(self, x: float, y: float) -> int | None:
        xs = [point[0] for point in self.points]
        index = int(np.searchsorted(xs, x))
        left = xs[index - 1] if index else -1.0
        right = xs[index] if index < len(xs) else 2.0
        if not 0 <= x <= 1 or x - left < LEAST_APART or right - x < LEAST_APART:
            return None
        low = self.points[index - 1][1] if index else 0.0
        high = self.points[index][1] if index < len(xs) else 1.0
        self._set((*self.points[:index], (x, float(np.clip(y, low, high))), *self.points[index:]), True)
        return index

    def mouseMoveEvent(self, event) -> None:
        if self._grabbed is not None and event.buttons() & Qt.MouseButton.LeftButton:
            x, y = self._value(event.position())
            self._set(held(list(self.points), self._grabbed, x, y), True)

    def mouseReleaseEvent(self, event) -> None:
        if self._grabbed is None:
            return
        grabbed, self._grabbed = self._grabbed, None
        outside = QRectF(self.rect()).adjusted(-_OUT_PX, -_OUT_PX, _OUT_PX, _OUT_PX)
        if not outside.contains(event.position()):
            self._drop(grabbed)
        else:
            self.changed.emit(self.points, False)

    def mouseDoubleClickEvent(self, event) -> None:
        near = self._near(event.position())
        if near is not None:
            self._drop(near)

    def keyPressEvent(self, event) -> None:
        moves = {Qt.Key.Key_Left: (-_STEP, 0), Qt.Key.Key_Right: (_STEP, 0), Qt.Key.Key_Up: (0, _STEP),
                 Qt.Key.Key_Down: (0, -_STEP)}
        if event.key() in moves and self.in_hand is not None:
            x, y = self.points[self.in_hand]
            dx, dy = moves[event.key()]
            self._set(held(list(self.points), self.in_hand, x + dx, y + dy), False)
        elif event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            by = 1 if event.key() == Qt.Key.Key_PageUp else -1
            self.in_hand = ((self.in_hand if self.in_hand is not None else -by) + by) % len(self.points)
            self.update()
        elif event.key() == Qt.Key.Key_Delete and self.in_hand is not None:
            self._drop(self.in_hand)
        else:
            super().keyPressEvent(event)

    def _drop(self, index: int) -> None:
        """An end goes back to its corner, any other point goes."""
        points = list(self.points)
        if index == 0:
            points[0] = STRAIGHT[0]
        elif index == len(points) - 1:
            points[-1] = STRAIGHT[1]
        else:
            del points[index]
        self.in_hand = None
        self._set(tuple(points), False)

    def _set(self, points: Points, dragging: bool) -> None:
        self.points = points
        self._name()
        self.update()
        self.changed.emit(points, dragging)

    # drawing

    def paintEvent(self, event) -> None:
        t, painter, box = theme(), QPainter(self), self._box()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.ink if self.hasFocus() else t.line), 1))
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 4, 4)
        self._draw_histogram(painter, box)
        painter.setPen(QPen(QColor(t.line), 1))
        for share in (0.25, 0.5, 0.75):
            painter.drawLine(self.place(share, 0), self.place(share, 1))
            painter.drawLine(self.place(0, share), self.place(1, share))
        straight = QPen(QColor(t.quiet_ink), 1)
        straight.setDashPattern([3, 3])
        painter.setPen(straight)
        painter.drawLine(self.place(0, 0), self.place(1, 1))
        values = table(self.points)
        path = QPainterPath(self.place(0, float(values[0])))
        for share in np.linspace(0, 1, 97)[1:]:
            path.lineTo(self.place(float(share), float(values[round(share * (len(values) - 1))])))
        painter.setPen(QPen(QColor(t.accent), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        for number, (x, y) in enumerate(self.points):
            painter.setBrush(QColor(t.accent if number == self.in_hand else t.raised))
            painter.drawEllipse(self.place(x, y), _POINT_PX, _POINT_PX)
        if self.in_hand is not None:
            self._say(painter, *self.points[self.in_hand])

    def _draw_histogram(self, painter: QPainter, box: QRectF) -> None:
        if self.histogram is None or not self.histogram.any():
            return
        counts = np.minimum(self.histogram / np.quantile(self.histogram[self.histogram > 0], 0.98), 1.0)
        path = QPainterPath(box.bottomLeft())
        for n, share in enumerate(counts):
            path.lineTo(box.left() + (n + 0.5) / len(counts) * box.width(), box.bottom() - 0.85 * share * box.height())
        path.lineTo(box.bottomRight())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme().track))
        painter.drawPath(path)

    def _say(self, painter: QPainter, x: float, y: float) -> None:
        text, at = f"L* {100 * x:.0f} → {100 * y:.0f}", self.place(x, y)
        painter.setFont(font(SMALL_PT, strong=True))
        width = painter.fontMetrics().horizontalAdvance(text) + 6
        left = min(max(at.x() - width - 8, _ROOM), self.width() - width - _ROOM)
        top = min(max(at.y() - 22, _ROOM), self.height() - 22 - _ROOM)
        painter.setPen(QColor(theme().ink))
        painter.drawText(QRectF(left, top, width, 16), Qt.AlignmentFlag.AlignVCenter, text)
