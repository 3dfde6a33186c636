"""The skin's spectrum: power of L* by the size of its structure, with the cut between texture and tone on it."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.measure.texture_scale import TextureScale
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_WIDEST_PX, _FINEST_PX = 96.0, 2.0


class SpectrumPlot(QWidget):
    """`show_cut(texture scale or None, split width)`. Left: coarse; right: fine."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self._scale: TextureScale | None = None
        self._width_px = 6.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(74)
        self.setAccessibleName("Spectrum of the skin")
        self.setToolTip(tr("How strong the skin's structure is at each size. Left of the line goes to the tone, right "
                           "of it to the texture."))

    def sizeHint(self) -> QSize:
        return QSize(200, 74)

    def show_cut(self, scale: TextureScale | None, width_px: float) -> None:
        self._scale, self._width_px = scale, width_px
        self.update()

    @staticmethod
    def _x(period_px: float, width: float) -> float:
        share = np.log(_WIDEST_PX / period_px) / np.log(_WIDEST_PX / _FINEST_PX)
        return float(np.clip(share, 0, 1)) * width

    def paintEvent(self, event) -> None:
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, 0, self.width(), 56)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 5, 5)
        # a Gaussian of sigma s halves the amplitude of waves of about 5.3 s
        cut = self._x(5.3 * self._width_px, box.width())
        painter.setBrush(QColor(t.accent_tint))
        painter.drawRect(QRectF(cut, 0, box.width() - cut, box.height()))
        painter.setFont(font(SMALL_PT))
        if self._scale is None:
            painter.setPen(QColor(t.quiet_ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "measured when there is skin enough")
        else:
            self._curve(painter, box, QColor(t.ink))
        painter.setPen(QPen(QColor(t.accent), 2))
        painter.drawLine(QPointF(cut, 0), QPointF(cut, box.height()))
        painter.setPen(QColor(t.quiet_ink))
        below = QRectF(0, 58, self.width(), 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, tr("coarse · tone"))
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, tr("texture · fine"))

    def _curve(self, painter: QPainter, box: QRectF, colour: QColor) -> None:
        frequency, power = np.array(self._scale.spectrum).T
        known = (frequency > 1 / _WIDEST_PX) & (power > 0)
        height = np.log10(power[known] * frequency[known] ** 2 + 1e-12)
        low, high = height.min(), height.max()
        path = QPainterPath()
        for number, (f, h) in enumerate(zip(frequency[known], height)):
            at = QPointF(self._x(1 / f, box.width()), box.height() - 5 - (h - low) / max(high - low, 1e-6) * 44)
            path.moveTo(at) if number == 0 else path.lineTo(at)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.6))
        painter.drawPath(path)
