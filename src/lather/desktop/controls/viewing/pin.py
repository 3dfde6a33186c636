"""A patch of untouched skin beside the pointer, to compare with."""

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from lather.core.job.model import new_job
from lather.core.types import Rect
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_ring, draw_tag
from lather.desktop.input.pen import PenEvent

_SIDE_PX, _OFF_PX = 76, 26  # of the patch on the screen, and how far from the brush
_MOST_SOURCE_PX = 900


class PinControl(QObject):
    """While `choosing`, a touch takes the place; the patch is of the photo itself, under the lamp in hand."""

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, parent=None):
        super().__init__(parent)
        self.canvas = canvas
        self.choosing = False
        self.place: tuple[float, float] | None = None
        self._held: tuple[tuple, QImage] | None = None

    def toggle(self) -> None:
        """Begin to choose a place; or take the patch away."""
        if self.place is not None or self.choosing:
            self.place, self.choosing = None, False
        else:
            self.choosing = True
            self.message.emit("Touch the skin to compare with: a patch of it, untouched, stays beside the pointer.")
        self.changed.emit()
        self.canvas.update()

    def pen_event(self, event: PenEvent) -> bool:
        if not self.choosing or event.context:
            return False
        if event.kind == "press" and not self._is_on_photo(event):
            self.message.emit("Touch a place on the photo to compare with.")
        elif event.kind == "press":
            self.place = (event.x, event.y)
        elif event.kind == "release" and self.place is not None:
            self.choosing = False
            self.changed.emit()
        self.canvas.update()
        return event.kind in ("press", "release") or event.down

    def _is_on_photo(self, event: PenEvent) -> bool:
        seen = self.canvas.picture
        return seen.x0 <= event.x < seen.x1 and seen.y0 <= event.y < seen.y1

    def _patch(self) -> QImage:
        """Its pixels at full size, made anew when the place, the lamp or the zoom is another."""
        canvas, (x, y) = self.canvas, self.place
        side = min(_MOST_SOURCE_PX, max(4, round(_SIDE_PX / canvas.view.scale)))
        key = (self.place, side, canvas.lamp, str(canvas.lamp_settings))
        if self._held is None or self._held[0] != key:
            job = canvas.viewed(new_job(canvas.engine.photo.source))
            x0, y0 = round(x - side / 2), round(y - side / 2)
            rect = Rect(x0, y0, x0 + side, y0 + side).intersect(canvas.picture)
            bgrx = np.ascontiguousarray(canvas.converter.bgrx(canvas.engine.pixels(job, rect)))
            image = QImage(bgrx.data, rect.width, rect.height, QImage.Format.Format_RGB32).copy()
            self._held = (key, image.mirrored(True, False) if canvas.view.mirrored else image)
        return self._held[1]

    def draw(self, painter: QPainter, canvas: PhotoCanvas, radius: float) -> None:
        """Beside the pointer. radius: of the brush, in device pixels."""
        at = canvas.pointer
        if self.choosing and at is not None:
            draw_ring(painter, at, _SIDE_PX / 2, taking=True)
            draw_tag(painter, at.x() + _SIDE_PX / 2 + 10, at.y(), "touch the skin to compare with")
            return
        if self.place is None or at is None:
            return
        left = at.x() - min(radius, 120) - _OFF_PX - _SIDE_PX
        if left < 4:
            left = at.x() + min(radius, 120) + _OFF_PX
        top = min(max(4.0, at.y() - _SIDE_PX / 2), canvas.view.height - _SIDE_PX - 4)
        target = QRectF(left, top, _SIDE_PX, _SIDE_PX)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(target, self._patch())
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(20, 20, 20, 160), 3), (QColor(255, 255, 255, 235), 1.2)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(target)
        if canvas.view.visible(canvas.picture).width:
            mark = canvas.to_screen(*self.place)
            for way in (QPointF(5, 0), QPointF(0, 5)):
                painter.drawLine(mark - way, mark + way)
