"""A gauge: what is measured, its value, the allowed band on a track, one mark. The word says the state."""

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.job.limits import Band
from lather.core.phrases import joined
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.name_and_value import draw_name_and_value, shown_name


class Gauge(QWidget):
    """`show_value(value, text, band)`; value and band are shares of the track, 0 to `high`."""

    def __init__(self, name: str, *, high: float = 1.0, parent=None):
        super().__init__(parent)
        self.name, self._high = name, high
        self._value, self._text, self._band = 0.0, "–", None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(32)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        return QSize(200, 32)

    def show_value(self, value: float, text: str, band: Band) -> None:
        state = band.state(value)
        self._value, self._band = value, band
        self._text = joined([text, state], " · ") if state else text
        self.setAccessibleName(f"{self.name}: {self._text}")
        self.update()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and self._band is not None:
            cut = shown_name(self.name, self._text, self.width()) != self.name
            self.setToolTip(tr(joined([self.name, self._band.why], ": ") if cut else self._band.why))
        return super().event(event)

    def text(self) -> str:
        return self._text

    def paintEvent(self, event) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = QRectF(0, 0, self.width(), 18)
        painter.setPen(QColor(t.ink))
        out = self._band is not None and self._band.state(self._value)
        draw_name_and_value(painter, top, self.name, self._text, QColor(t.near_text if out else t.ink))
        track = QRectF(0, 22, self.width(), 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.track))
        painter.drawRoundedRect(track, 3, 3)
        if self._band is None:
            return
        left, right = (min(1.0, v / self._high) * self.width() for v in (self._band.low, self._band.high))
        painter.setBrush(QColor(t.accent_tint).darker(118) if t.name == "light" else QColor(t.accent_tint).lighter(150))
        painter.drawRoundedRect(QRectF(left, 22, right - left, 6), 3, 3)
        x = min(1.0, max(0.0, self._value / self._high)) * (self.width() - 3) + 1.5
        painter.setPen(QPen(QColor(t.near if out else t.ink), 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(x, 20.5), QPointF(x, 29.5))
