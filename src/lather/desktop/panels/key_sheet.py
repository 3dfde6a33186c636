"""The key sheet, laid over the desk while its key is held."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from lather.desktop.input.keys import ACTIONS, load_bindings
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

_ALSO = (
    ("Wheel", "zoom at the pointer"), ("Shift while painting", "the original returns"),
    ("Middle button", "drag: move the picture"),
)

_LINE_PX = 27


class KeySheet(QWidget):
    """Three columns: held keys, and keys to press."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName("Key sheet")
        self.hide()

    def lay_over(self) -> None:
        self.setGeometry(self.parentWidget().rect())
        self.raise_()
        self.show()

    def paintEvent(self, event) -> None:
        t, keys = theme(), load_bindings()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(20, 22, 24, 120))
        pressed = [(keys[a.id], a.label) for a in ACTIONS if not a.held]
        half = (len(pressed) + 1) // 2
        columns = (
            ("Hold", [(keys[a.id], a.label) for a in ACTIONS if a.held] + list(_ALSO), 156),
            ("Press", pressed[:half], 76), ("", pressed[half:], 112),
        )
        box = QRectF(0, 0, 1130, 78 + _LINE_PX * max(len(lines) for _, lines, _ in columns))
        box.moveCenter(QRectF(self.rect()).center())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 7, 7)
        left = box.x() + 28
        for title, lines, key_px in columns:
            y = box.y() + 22
            painter.setPen(QColor(t.ink))
            painter.setFont(font(11, strong=True))
            painter.drawText(QRectF(left, y, 300, 22), Qt.AlignmentFlag.AlignLeft, title)
            y += 34
            for key, label in lines:
                painter.setFont(font(strong=True))
                painter.setPen(QColor(t.accent))
                painter.drawText(QRectF(left, y, key_px, 22), Qt.AlignmentFlag.AlignLeft, key)
                painter.setFont(font())
                painter.setPen(QColor(t.ink))
                painter.drawText(QRectF(left + key_px + 6, y, 290, 22), Qt.AlignmentFlag.AlignLeft, label)
                y += _LINE_PX
            left += key_px + (290 if title == "Hold" else 238)
