"""The one line of a screen where Lather speaks: what to do next, or what just happened. It never moves anything."""

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QTextLayout, QTextOption
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from lather.core import log
from lather.desktop.input.keys import keyed
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import MESSAGE_PX, SMALL_PT, theme

_SHORTEST_MS, _PER_CHARACTER_MS = 5000, 45
_MARGIN_PX = 12
_MOST_LINES = 2


class MessageLine(QWidget):
    """Shows the hint, over it what is going on, and over both for a while a message; one that `stays` goes with a
    click, or with the next one.

    `report_wanted()`: beside an error that nobody foresaw stands a button that asks for a report of it.
    """

    report_wanted = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(MESSAGE_PX)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._hint = self._message = ""
        self._going_on: dict[str, str] = {}
        self._stays = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.clear)
        self.copy_report = QPushButton(tr("Copy report"), self)
        self.copy_report.setToolTip(tr("What went wrong, for those who can mend it: version, system, the last lines of "
                                       "the log"))
        self.copy_report.setFont(font(SMALL_PT))
        self.copy_report.setStyleSheet("padding: 1px 10px;")
        self.copy_report.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.copy_report.clicked.connect(self.report_wanted)
        self.copy_report.hide()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, _MARGIN_PX, 0)
        row.addStretch(1)
        row.addWidget(self.copy_report)

    def text(self) -> str:
        """What is said now, with the keys as they are bound."""
        return " ".join(keyed(tr(self._message or self.going_on or self._hint)).split())

    @property
    def message(self) -> str:
        return self._message

    @property
    def stays(self) -> bool:
        return self._stays

    def show_hint(self, text: str) -> None:
        if text != self._hint:
            self._hint = text
            self._changed()

    def show_going_on(self, text: str, who: str = "") -> None:
        """What takes long, over the hint until it is done (""); of several what was begun last."""
        if text != self._going_on.pop(who, ""):
            self._changed()
        if text:
            self._going_on[who] = text
            self._changed()

    @property
    def going_on(self) -> str:
        """What is said to take long; "" for nothing."""
        return next(reversed(self._going_on.values()), "")

    def show_message(self, text: str, *, stays: bool = False) -> None:
        self._message, self._stays = text, stays
        if stays:
            self._timer.stop()
        else:
            self._timer.start(_SHORTEST_MS + _PER_CHARACTER_MS * len(text))
        self._changed()

    def clear(self) -> None:
        """Back to the hint."""
        self._timer.stop()
        self._message, self._stays = "", False
        self._changed()

    def _changed(self) -> None:
        self.copy_report.setVisible(bool(self._message) and log.was_unexpected(self._message))
        self.setAccessibleName(self.text() or "Messages")
        self.setToolTip(self.text() if self.shown_lines()[1] else "Click to put this away" if self._stays else "")
        self.update()

    def mousePressEvent(self, event) -> None:
        self.clear()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._changed()

    @property
    def _text_width(self) -> float:
        beside = 0 if self.copy_report.isHidden() else self.copy_report.sizeHint().width() + _MARGIN_PX
        return max(40.0, self.width() - 2.0 * _MARGIN_PX - beside)

    def shown_lines(self) -> tuple[list[str], bool]:
        """The lines as they are drawn, and whether something had to be left out."""
        chosen, width = font(SMALL_PT), self._text_width
        text, lines = self.text(), []
        layout = QTextLayout(text, chosen)
        option = QTextOption()
        option.setWrapMode(QTextOption.WrapMode.WrapAtWordBoundaryOrAnywhere)
        layout.setTextOption(option)
        layout.beginLayout()
        while (line := layout.createLine()).isValid():
            line.setLineWidth(width)
            lines.append((line.textStart(), line.textLength()))
        layout.endLayout()
        shown = [text[start : start + length].rstrip() for start, length in lines[:_MOST_LINES]]
        if len(lines) > _MOST_LINES:
            rest = text[lines[_MOST_LINES - 1][0] :]
            shown[-1] = QFontMetricsF(chosen).elidedText(rest, Qt.TextElideMode.ElideMiddle, width)
        return shown, len(lines) > _MOST_LINES

    def paintEvent(self, event) -> None:
        t = theme()
        painter = QPainter(self)
        spoken = self._message or self.going_on
        painter.fillRect(self.rect(), QColor(t.raised if spoken else t.panel))
        if self._stays:
            painter.fillRect(0, 0, 3, self.height(), QColor(t.over))
        painter.setFont(font(SMALL_PT))
        painter.setPen(QColor(t.ink if spoken else t.quiet_ink))
        lines, _ = self.shown_lines()
        height = 15.0
        y = (self.height() - height * len(lines)) / 2
        for line in lines:
            painter.drawText(QRectF(_MARGIN_PX, y, self._text_width, height),
                             int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), line)
            y += height
