"""A slider whose track begins in the middle: 0 is as it was, either way is more."""

from contextlib import suppress

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.name_and_value import draw_name_and_value
from lather.desktop.widgets.value_slider import TOP_PX, ValueSlider

_NUMBERS = "0123456789.,+-−"
_SNAPS = 0.035  # of the track, around the middle


class SignedSlider(ValueSlider):
    """`aside`: what stands in the place of the value while both sides differ, or "". A double click on the track sets
    it to 0. A number is typed while it has the focus, and taken with Return.
    """

    def __init__(self, name: str, most: float, *, unit: str = "%", step: float = 0.1, parent=None):
        super().__init__(name, -most, most, 0.0, unit=unit, step=step, parent=parent)
        self.aside = self._typed = ""

    def show_value(self, value: float, aside: str = "") -> None:
        self.aside = aside
        self.set_value(value, fine=True)
        self.setAccessibleName(f"{self.name}: {self.text()}")
        self.update()

    def text(self) -> str:
        digits = 2 if self.step < 0.1 else 1 if self.step < 1 else 0
        return f"{self._typed} {self.unit}" if self._typed else self.aside or signed(self._value, self.unit, digits)

    def shown_value(self) -> str:
        return self.text()

    def _value_at(self, x: float) -> float:
        value = super()._value_at(x)
        return 0.0 if abs(value) < _SNAPS * (self.high - self.low) / 2 else value

    def keyPressEvent(self, event) -> None:
        if event.text() and event.text() in _NUMBERS:
            self._typed += event.text()
        elif event.key() == Qt.Key.Key_Backspace:
            self._typed = self._typed[:-1]
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._typed:
            typed, self._typed = self._typed, ""
            with suppress(ValueError):  # what is no number is as if it was not typed
                self.set_value(float(typed.replace(",", ".").replace("−", "-")), tell=True)
        else:
            self._typed = ""
            super().keyPressEvent(event)
        self.update()

    def focusOutEvent(self, event) -> None:
        self._typed = ""
        super().focusOutEvent(event)

    def mouseDoubleClickEvent(self, event) -> None:
        if event.position().y() < TOP_PX:
            super().mouseDoubleClickEvent(event)
        else:
            self.set_value(0.0, tell=True)

    def paintEvent(self, event) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(t.ink if self.isEnabled() else t.quiet_ink))
        draw_name_and_value(painter, QRectF(0, 0, self.width(), 18), self.name, self.text())
        y, left, right = 28.0, 6.0, self.width() - 6.0
        middle, x = (left + right) / 2, left + self._share() * (right - left)
        painter.setPen(QPen(QColor(t.track), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        painter.setPen(QPen(QColor(t.quiet_ink), 1))
        painter.drawLine(QPointF(middle, y - 5), QPointF(middle, y + 5))
        if not self.isEnabled():
            return
        painter.setPen(QPen(QColor(t.accent), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(middle, y), QPointF(x, y))
        painter.setPen(QPen(QColor(t.ink if self.hasFocus() else t.accent), 1.6))
        painter.setBrush(QColor(t.raised))
        painter.drawEllipse(QPointF(x, y), 5.5, 5.5)


def signed(value: float, unit: str = "%", digits: int = 1) -> str:
    """+0.4 %, −1.2 %, 0.0 %."""
    if abs(value) < 0.5 * 10**-digits:
        return f"{0:.{digits}f} {unit}"
    return f"{'+' if value > 0 else '−'}{abs(value):.{digits}f} {unit}"
