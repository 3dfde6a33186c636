"""The picture as it came, on the screen, and as an output will show it; a hatch where its colours are out of reach."""

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.core.deliver.soft_proof import OUT_OF_GAMUT_DE, SoftProof
from lather.core.phrases import phrase
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.theme.tokens import theme

_HATCH_PX = 7
_LEAST_AREA_PX = 12.0


class ProofView(QWidget):
    """`show_picture(bgrx)`, or with a proof: then its hatch, if wanted."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setMinimumSize(200, 200)
        self._image: QImage | None = None
        self._held: np.ndarray | None = None
        self._areas: list[np.ndarray] = []
        self._tag = ""
        self._worst: tuple[str, QPointF] | None = None

    @property
    def ready(self) -> bool:
        return self._image is not None

    @property
    def areas(self) -> list[np.ndarray]:
        """Outlines of what is out of gamut, px of the picture shown."""
        return self._areas

    def show_picture(self, bgrx: np.ndarray, tag: str, proof: SoftProof | None = None) -> None:
        """bgrx: (h, w, 4) uint8 in the display's colours."""
        self._held = np.ascontiguousarray(bgrx)
        height, width = bgrx.shape[:2]
        self._image = QImage(self._held.data, width, height, 4 * width, QImage.Format.Format_RGB32)
        self._tag, self._areas, self._worst = tag, [], None
        if proof is not None and proof.largest > OUT_OF_GAMUT_DE:
            out = cv2.morphologyEx((proof.away > OUT_OF_GAMUT_DE).astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2)))
            outlines, _ = cv2.findContours(out, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
            self._areas = [one[:, 0] for one in outlines if cv2.contourArea(one) >= _LEAST_AREA_PX]
            x, y = proof.worst()
            self._worst = (phrase("%1 ΔE away", f"{proof.largest:.1f}"), QPointF(x, y))
        self.setAccessibleName(tag)
        self.update()

    def _place(self) -> QRectF:
        """Where the picture is drawn."""
        room = QRectF(self.rect()).adjusted(16, 14, -16, -14)
        size = self._image.size().toSizeF().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(room.center().x() - size.width() / 2, room.center().y() - size.height() / 2, size.width(),
                      size.height())

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme().surround))
        if self._image is None:
            painter.setPen(QColor("#ffffff"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "The finished picture is being made …")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        place = self._place()
        painter.drawImage(place, self._image)
        if self._areas:
            self._draw_hatch(painter, place)
        self._tag_at(painter, place.left() + 8, place.top() + 18, self._tag)

    def _tag_at(self, painter: QPainter, x: float, y: float, text: str) -> None:
        """Tags are drawn in the display's own pixels."""
        ratio = self.devicePixelRatioF()
        painter.save()
        painter.scale(1 / ratio, 1 / ratio)
        draw_tag(painter, x * ratio, y * ratio, text)
        painter.restore()

    def _draw_hatch(self, painter: QPainter, place: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = place.width() / self._image.width()
        path = QPainterPath()
        for area in self._areas:
            path.addPolygon(QPolygonF([QPointF(place.left() + x * scale, place.top() + y * scale) for x, y in area]))
            path.closeSubpath()
        for colour, width in ((QColor(20, 20, 20, 160), 2.6), (QColor("#ffffff"), 1.2)):
            painter.setPen(QPen(colour, width))
            painter.drawPath(path)
        painter.save()
        painter.setClipPath(path)
        painter.setPen(QPen(QColor("#ffffff"), 1.3))
        box = path.boundingRect()
        at = box.left() - box.height()
        while at < box.right():
            painter.drawLine(QPointF(at, box.bottom()), QPointF(at + box.height(), box.top()))
            at += _HATCH_PX
        painter.restore()
        if self._worst is not None:
            text, at = self._worst
            x = min(place.right() - 110, place.left() + at.x() * scale + 12)
            self._tag_at(painter, x, place.top() + at.y() * scale, text)
