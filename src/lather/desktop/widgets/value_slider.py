"""A slider with its name, its value and unit above the track; the value can be typed."""

import math
import re

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from lather.core.parameters import Number
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.name_and_value import draw_name_and_value, name_width, shown_name

TOP_PX = 18  # the line of name and value, which is no part of the track
_KNOB_PX = 10.0  # around the knob's middle: there it is taken hold of where it is
_FINE = 0.1  # of a step: what is typed, or stepped with Alt
_COARSE = 10


class ValueSlider(QWidget):
    """`changed(value, dragging)`: dragging is True while the knob is held.

    logarithmic: for sizes, where each doubling takes the same way. Arrow keys and the wheel step, Shift tenfold, Alt by
    a tenth; Page keys step ten times. A double click on the value, or Enter, lets it be typed; one on the name sets it
    back to `start`.
    """

    changed = pyqtSignal(float, bool)

    def __init__(self, name: str, low: float, high: float, value: float, *, unit: str = "%", step: float = 1.0,
                 logarithmic: bool = False, parent=None):
        super().__init__(parent)
        self.name, self.low, self.high, self.unit, self.step = name, low, high, unit, step
        self._value, self._logarithmic, self.start = value, logarithmic, value
        self._held_at: float | None = None
        self.editor: QLineEdit | None = None
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

    def set_value(self, value: float, *, tell: bool = False, dragging: bool = False, fine: bool = False) -> None:
        """fine: to a tenth of a step."""
        step = self.step * (_FINE if fine else 1.0)
        value = min(self.high, max(self.low, round(round(value / step) * step, 6)))
        if value != self._value:
            self._value = value
            self.update()
            if tell:
                self.changed.emit(value, dragging)
        elif tell and not dragging:
            self.changed.emit(value, False)

    def text(self) -> str:
        digits = 0 if self.step >= 1 else 1 if self.step >= 0.1 else 2
        if abs(self._value / self.step - round(self._value / self.step)) > 1e-6:
            digits += 1
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

    def _knob(self) -> float:
        return 6.0 + self._share() * (self.width() - 12.0)

    def mousePressEvent(self, event) -> None:
        self._held_at = None
        if event.position().y() < TOP_PX or event.button() != Qt.MouseButton.LeftButton:
            return
        off = event.position().x() - self._knob()
        self._held_at = off if abs(off) <= _KNOB_PX else 0.0
        if not self._held_at:
            self.set_value(self._value_at(event.position().x()), tell=True, dragging=True)

    def mouseMoveEvent(self, event) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton and self._held_at is not None:
            self.set_value(self._value_at(event.position().x() - self._held_at), tell=True, dragging=True)

    def mouseReleaseEvent(self, event) -> None:
        if self._held_at is not None:
            off, self._held_at = self._held_at, None
            x = event.position().x() - off
            moved = abs(x - self._knob()) >= 1
            self.set_value(self._value_at(x) if moved else self._value, tell=True, fine=not moved)

    def mouseDoubleClickEvent(self, event) -> None:
        if event.position().y() >= TOP_PX:
            self.mousePressEvent(event)
        elif event.position().x() <= name_width(self.shown_value(), self.width()):
            self.set_value(self.start, tell=True)
        else:
            self.type_value()

    def type_value(self) -> None:
        """Lets the value be typed: Enter takes it, Esc leaves it as it was."""
        if not self.isEnabled() or self.editor is not None:
            return
        before = self.window().focusWidget()
        editor = self.editor = QLineEdit(f"{self._value:g}", self)
        editor.setFont(font(SMALL_PT, strong=True))
        editor.setAlignment(Qt.AlignmentFlag.AlignRight)
        editor.setAccessibleName(tr("%1, typed", self.name))
        editor.setGeometry(max(0, self.width() - 64), 0, min(64, self.width()), TOP_PX + 2)
        editor.editingFinished.connect(lambda: self._take_typed(editor, before))
        editor.installEventFilter(self)
        editor.show()
        editor.setFocus(Qt.FocusReason.OtherFocusReason)
        editor.selectAll()

    def eventFilter(self, watched, event) -> bool:
        ends = (Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if watched is self.editor and event.type() == event.Type.KeyPress and event.key() in ends:
            if event.key() == Qt.Key.Key_Escape:
                self.editor.clear()  # nothing typed is nothing changed
            self.editor.editingFinished.emit()
            return True  # else the slider would hear it too, and open anew
        return super().eventFilter(watched, event)

    def _take_typed(self, editor: QLineEdit, before: QWidget | None) -> None:
        if self.editor is not editor:
            return
        self.editor = None
        number = re.search(r"-?\d+(?:[.,]\d+)?", editor.text().replace("−", "-"))
        editor.hide()
        editor.deleteLater()
        if before is not None and before is not self:
            before.setFocus(Qt.FocusReason.OtherFocusReason)
        else:
            self.setFocus(Qt.FocusReason.OtherFocusReason)
        if number is not None:
            self.set_value(float(number[0].replace(",", ".")), tell=True, fine=True)

    def wheelEvent(self, event) -> None:
        way = event.angleDelta().y() or event.angleDelta().x()  # with Alt a wheel turns sideways
        self._nudge(1 if way > 0 else -1, event.modifiers())
        event.accept()

    def keyPressEvent(self, event) -> None:
        steps = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1,
            Qt.Key.Key_PageDown: -_COARSE, Qt.Key.Key_PageUp: _COARSE,
        }
        if event.key() in steps:
            self._nudge(steps[event.key()], event.modifiers())
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_value()
        else:
            super().keyPressEvent(event)

    def nudge(self, count: int) -> None:
        """Some steps up, or down."""
        self._nudge(count, Qt.KeyboardModifier.NoModifier)

    def _nudge(self, count: int, modifiers: Qt.KeyboardModifier) -> None:
        amount = max(self.step, self._value * 0.06) if self._logarithmic else self.step
        fine = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        if fine:
            amount *= _FINE
        elif modifiers & Qt.KeyboardModifier.ShiftModifier:
            amount *= _COARSE
        self.set_value(self._value + count * amount, tell=True, fine=fine)


def number_slider(number: Number) -> ValueSlider:
    """A slider for a declared number, in the values that are shown."""
    times = number.shown_times
    return ValueSlider(number.label, number.range.low * times, number.range.high * times, number.start * times,
                       unit=number.unit, step=number.step, logarithmic=number.logarithmic)
