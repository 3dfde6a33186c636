"""A gauge in Review: its value on the track, a small history over the job; a click shows its map."""

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from lather.core.gauges.against_limits import JudgedGauge
from lather.core.job.limits import Band
from lather.core.phrases import phrase
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.gauge import Gauge
from lather.desktop.widgets.name_and_value import name_width

_HISTORY_PX, _LEAST_HISTORY_PX, _GAP_PX = 44, 14, 10


class GaugeRow(Gauge):
    """`taken(name)` when clicked or by Enter."""

    taken = pyqtSignal(str)

    def __init__(self, one: JudgedGauge, parent=None):
        end = max(one.gauge.track, one.high if one.high < 1e6 else 0.0)
        super().__init__(one.gauge.label, high=end, parent=parent)
        self.one = one
        self._history: list[float] = []
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.marked = False

    def show_judged(self, one: JudgedGauge, history: list[float]) -> None:
        self.one, self._history = one, history
        if one.value is None:
            self._value, self._band, self._text = 0.0, None, "not told"
            self.setAccessibleName(phrase("%1: cannot be told, %2", self.name, one.gauge.untold))
            self.setToolTip(tr("Cannot be told: %1.", one.gauge.untold))
            self.update()
            return
        self.show_value(one.value, one.text, Band(one.low, one.high, one.why))
        self.setToolTip(tr("%1: %2.", one.band_text, one.why))

    def event(self, event) -> bool:
        return super(Gauge, self).event(event)  # the tip is its own

    def mousePressEvent(self, event) -> None:
        self.taken.emit(self.one.gauge.id)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.one.gauge.id)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event) -> None:
        super().paintEvent(event)
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.marked or self.hasFocus():
            painter.setPen(QPen(QColor(t.accent), 1))
            painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), 4, 4)
        values = self._history[-_HISTORY_PX:]
        if len(values) > 2 and self.one.value is not None:
            low, high = min(values), max(values)
            if high > low:
                left = QFontMetricsF(font(SMALL_PT)).horizontalAdvance(tr(self.name)) + _GAP_PX
                right = name_width(self._text, self.width())
                wide = min(_HISTORY_PX, right - left)
                if wide < _LEAST_HISTORY_PX:  # it would cross the name or the value
                    return
                left = min(max(left, (self.width() - wide) / 2), right - wide)
                points = [QPointF(left + n * wide / (len(values) - 1), 15 - 10 * (v - low) / (high - low))
                          for n, v in enumerate(values)]
                painter.setPen(QPen(QColor(t.quiet_ink), 1))
                painter.drawPolyline(QPolygonF(points))
