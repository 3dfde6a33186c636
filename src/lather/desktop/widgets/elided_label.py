"""A label that gives way: its text is shortened in the middle, the whole of it stands in the tip."""

import re

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QLabel

from lather.desktop.texts import tr

_LEAST_PX = 24
_LONG_WORD = re.compile(r"/|[^\s/]{30}")


def breakable(text: str) -> str:
    """Text for a label that wraps words: long file names may be broken where no space is."""
    return _LONG_WORD.sub("\\g<0>\u200b", text)


class ElidedLabel(QLabel):
    """`text()` is the whole text. tip: shown as well, whether the text is shortened or not."""

    def __init__(self, text: str = "", parent=None, *, mode: Qt.TextElideMode = Qt.TextElideMode.ElideMiddle):
        super().__init__(text, parent)
        self._mode, self._tip = mode, ""
        self.setTextFormat(Qt.TextFormat.PlainText)

    def set_tip(self, tip: str) -> None:
        self._tip = tip
        self._show_tip()

    def setText(self, text: str) -> None:
        super().setText(tr(text).replace("\n", " "))
        self._show_tip()
        self.updateGeometry()

    def shown_text(self) -> str:
        return self.fontMetrics().elidedText(self.text(), self._mode, self.contentsRect().width())

    def _show_tip(self) -> None:
        whole = self.text() if self.shown_text() != self.text() else ""
        self.setToolTip("\n".join(part for part in (whole, tr(self._tip)) if part))

    def sizeHint(self) -> QSize:
        return QSize(self.fontMetrics().horizontalAdvance(self.text()) + 2, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return QSize(min(_LEAST_PX, self.sizeHint().width()), super().minimumSizeHint().height())

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._show_tip()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.contentsRect(), int(self.alignment() | Qt.AlignmentFlag.AlignVCenter), self.shown_text())
