"""The key sheet, laid over the desk while its key is held."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from lather.desktop.input.keys import ACTIONS, load_bindings
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

_ALSO = (
    ("Wheel", "zoom at the pointer"), ("Shift while painting", "the original returns"),
    ("Middle button and drag", "move the picture"),
)


class KeySheet(QWidget):
    """Two columns: held keys, and keys to press."""

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
        box = QRectF(0, 0, 860, 430)
        box.moveCenter(QRectF(self.rect()).center())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 7, 7)
        columns = (
            ("Hold", [(keys[a.id], a.label) for a in ACTIONS if a.held] + list(_ALSO)),
            ("Press", [(keys[a.id], a.label) for a in ACTIONS if not a.held]),
        )
        for number, (title, lines) in enumerate(columns):
            x, y = box.x() + 28 + number * 440, box.y() + 26
            painter.setPen(QColor(t.ink))
            painter.setFont(font(11, strong=True))
            painter.drawText(QRectF(x, y, 300, 22), Qt.AlignmentFlag.AlignLeft, title)
            y += 34
            for key, label in lines:
                painter.setFont(font(strong=True))
                painter.setPen(QColor(t.accent))
                painter.drawText(QRectF(x, y, 170, 22), Qt.AlignmentFlag.AlignLeft, key)
                painter.setFont(font())
                painter.setPen(QColor(t.ink))
                painter.drawText(QRectF(x + (172 if number == 0 else 124), y, 250, 40), Qt.TextFlag.TextWordWrap, label)
                y += 27 if number or len(label) < 36 else 40
