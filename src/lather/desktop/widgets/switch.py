"""An on/off switch."""

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton

from lather.desktop.texts import tr
from lather.desktop.theme.tokens import theme


class Switch(QAbstractButton):
    """Checked = on. The knob's place says it as well as the colour."""

    def __init__(self, name: str, on: bool = True, parent=None):
        super().__init__(parent)
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys to the photo
        self.setChecked(on)
        self.setAccessibleName(name)
        self.setToolTip(tr(name))
        self.setFixedSize(30, 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(30, 24)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        body = QRectF(2, 5, 26, 14)
        painter.setPen(QPen(QColor(t.ink), 1.4) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.accent if self.isChecked() else t.track))
        painter.drawRoundedRect(body, 7, 7)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor("#ffffff"))
        painter.drawEllipse(QRectF(15.5 if self.isChecked() else 3.5, 6.5, 11, 11))
