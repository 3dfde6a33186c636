"""Skin over a sitting: each frame against the finished one, the photo hollow, what was made of it solid."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPen, QPolygonF

from lather.core.phrases import phrase
from lather.core.sitting.sitting import Frame
from lather.core.sitting.skin_alike import Skin
from lather.desktop.logbook.charts import Chart, nice_top
from lather.desktop.theme.tokens import theme

_LIMIT_SPAN = 2.0
_MOST_NAMES = 12


class SkinChart(Chart):
    """against(skin, reference): the number that is drawn. within: of the band that counts as alike. signed: it may lie
    below 0 as well.
    """

    def __init__(self, name: str, against: Callable[[Skin, Skin], float], within: float, *, signed: bool, parent=None):
        super().__init__(name, parent)
        self._against, self._within, self._signed = against, within, signed
        self._frames: Sequence[Frame] = ()
        self._reference: Skin | None = None
        self.setMinimumHeight(110)

    def show_frames(self, frames: Sequence[Frame], reference: Skin | None) -> None:
        self._frames, self._reference = frames, reference
        off = [abs(value) for value in self._values("now") if value is not None]
        self.say("no frame is finished yet" if reference is None else
                 phrase("%1 of %2 retouched frames alike", sum(value <= self._within for value in off), len(off)))

    def _values(self, which: str) -> list[float | None]:
        values = []
        for frame in self._frames:
            skin = getattr(frame, which)
            values.append(None if skin is None or self._reference is None else self._against(skin, self._reference))
        return values

    def paintEvent(self, event) -> None:
        painter, t = self.begin(), theme()
        photo, now = self._values("skin"), self._values("now")
        known = [abs(v) for v in (*photo, *now) if v is not None]
        if not known:
            self.empty(painter, "Finish a frame: the others are measured against it.")
            return
        top, _ = nice_top(max(*known, self._within * _LIMIT_SPAN))
        area = self.plot()

        def at(value: float) -> float:
            share = (value + top) / (2 * top) if self._signed else value / top
            return area.bottom() - area.height() * share

        low = -self._within if self._signed else 0.0
        band = QRectF(area.left(), at(self._within), area.width(), at(low) - at(self._within))
        painter.fillRect(band, QColor(t.accent_tint))
        for value in ((-top, 0.0, top) if self._signed else (0.0, top / 2, top)):
            painter.setPen(QPen(QColor(t.line), 1))
            painter.drawLine(QPointF(area.left(), at(value)), QPointF(area.right(), at(value)))
            painter.setPen(QColor(t.quiet_ink))
            text = f"{value:g}".replace("-", "−")
            painter.drawText(QRectF(0, at(value) - 8, area.left() - 5, 16),
                             int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), text)
        xs = [area.left() + area.width() * (n + 0.5) / len(self._frames) for n in range(len(self._frames))]
        for values, solid in ((photo, False), (now, True)):
            places = [QPointF(x, at(value)) for x, value in zip(xs, values) if value is not None]
            colour = QColor(t.accent if solid else t.quiet_ink)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour, 1.6 if solid else 1.0, Qt.PenStyle.SolidLine if solid else
                                Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(places))
            painter.setPen(QPen(colour, 1.4))
            painter.setBrush(colour if solid else QColor(t.panel))
            for place in places:
                painter.drawEllipse(place, 3.4, 3.4)
        painter.setPen(QColor(t.quiet_ink))
        every = max(1, -(-len(xs) // _MOST_NAMES))
        room = area.width() / max(1, len(xs)) * every
        for x, frame in list(zip(xs, self._frames))[::every]:
            name = painter.fontMetrics().elidedText(frame.stem, Qt.TextElideMode.ElideLeft, int(room))
            painter.drawText(QRectF(x - room / 2, area.bottom() + 4, room, 16), int(Qt.AlignmentFlag.AlignCenter), name)
