"""A slider with its name, its value and unit above the track."""

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.parameters import Number
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.name_and_value import draw_name_and_value, shown_name


class ValueSlider(QWidget):
    """`changed(value, dragging)`: dragging is True while the knob is held.

    logarithmic: for sizes, where each doubling takes the same way. Arrow keys step, Page keys step ten times.
    """

    changed = pyqtSignal(float, bool)

    def __init__(self, name: str, low: float, high: float, value: float, *, unit: str = "%", step: float = 1.0,
                 logarithmic: bool = False, parent=None):
        super().__init__(parent)
        self.name, self.low, self.high, self.unit, self.step = name, low, high, unit, step
        self._value, self._logarithmic = value, logarithmic
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys to the photo
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(68)
        self.setFixedHeight(40)

    def sizeHint(self) -> QSize:
        return QSize(104, 40)

    def set_name(self, name: str) -> None:
        if name != self.name:
            self.name = name
            self.setAccessibleName(name)
            self.update()

    @property
    def value(self) -> float:
        return self._value

    def set_value(self, value: float, *, tell: bool = False, dragging: bool = False) -> None:
        value = min(self.high, max(self.low, round(value / self.step) * self.step))
        if value != self._value:
            self._value = value
            self.update()
            if tell:
                self.changed.emit(value, dragging)
        elif tell and not dragging:
            self.changed.emit(value, False)

    def text(self) -> str:
        digits = 0 if self.step >= 1 else 1 if self.step >= 0.1 else 2
        return f"{self._value:.{digits}f} {self.unit}"

    def shown_value(self) -> str:
        """The value with its unit; without it where the name would have no room beside both."""
        cut = shown_name(self.name, self.text(), self.width()) != self.name
        return self.text().removesuffix(f" {self.unit}") if cut else self.text()

    def _share(self) -> float:
        if self._logarithmic:
            return math.log(self._value / self.low) / math.log(self.high / self.low)
        return (self._value - self.low) / (self.high - self.low)

    def _value_at(self, x: float) -> float:
        share = min(1.0, max(0.0, (x - 6) / max(1, self.width() - 12)))
        if self._logarithmic:
            return self.low * (self.high / self.low) ** share
        return self.low + share * (self.high - self.low)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        top = QRectF(0, 0, self.width(), 18)
        painter.setPen(QColor(t.ink if self.isEnabled() else t.quiet_ink))
        draw_name_and_value(painter, top, self.name, self.shown_value() if self.isEnabled() else "–")
        y, left, right = 28.0, 6.0, self.width() - 6.0
        x = left + self._share() * (right - left)
        painter.setPen(QPen(QColor(t.track), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        if not self.isEnabled():
            return
        painter.setPen(QPen(QColor(t.accent), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(left, y), QPointF(x, y))
        painter.setPen(QPen(QColor(t.ink if self.hasFocus() else t.accent), 1.6))
        painter.setBrush(QColor(t.raised))
        painter.drawEllipse(QPointF(x, y), 5.5, 5.5)

    def mousePressEvent(self, event) -> None:
        self.set_value(self._value_at(event.position().x()), tell=True, dragging=True)

    def mouseMoveEvent(self, event) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.set_value(self._value_at(event.position().x()), tell=True, dragging=True)

    def mouseReleaseEvent(self, event) -> None:
        self.set_value(self._value_at(event.position().x()), tell=True)

    def wheelEvent(self, event) -> None:
        self._nudge(1 if event.angleDelta().y() > 0 else -1)
        event.accept()

    def keyPressEvent(self, event) -> None:
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1,
            Qt.Key.Key_PageDown: -10, Qt.Key.Key_PageUp: 10,
        }
        if event.key() in steps:
            self._nudge(steps[event.key()])
        else:
            super().keyPressEvent(event)

    def _nudge(self, count: int) -> None:
        amount = max(self.step, self._value * 0.06) if self._logarithmic else self.step
        self.set_value(self._value + count * amount, tell=True)


def number_slider(number: Number) -> ValueSlider:
    """A slider for a declared number, in the values that are shown."""
    times = number.shown_times
    return ValueSlider(number.label, number.range.low * times, number.range.high * times, number.start * times,
                       unit=number.unit, step=number.step, logarithmic=number.logarithmic)
