"""A small map of the whole picture in the corner of the photo while it is zoomed in; a click on it goes there."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.display import TileImage
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import theme

_LONG_PX, _MARGIN_PX = 132, 10
_LATER_MS = 600  # after the last step: nobody looks at the map while painting
_SEEN_WHOLE = 0.98


def seen_share(canvas: PhotoCanvas) -> float:
    """Share of the picture that a canvas shows, 0-1."""
    seen, picture = canvas.view.visible(canvas.picture), canvas.picture
    return seen.width * seen.height / max(1, picture.width * picture.height)


def draw_seen(painter: QPainter, canvas: PhotoCanvas, target: QRectF) -> None:
    """What a canvas shows, as a frame on a picture of the whole that fills `target`."""
    seen, picture = canvas.view.visible(canvas.picture), canvas.picture
    across, down = target.width() / picture.width, target.height() / picture.height
    frame = QRectF(target.x() + seen.x0 * across, target.y() + seen.y0 * down, seen.width * across, seen.height * down)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(20, 20, 20, 170), 3), (QColor("#ffffff"), 1.2)):
        painter.setPen(QPen(colour, width))
        painter.drawRect(frame)


class SmallMap(QWidget):
    """Lies on a canvas, at its lower left; hidden while all of the picture is in sight."""

    def __init__(self, canvas: PhotoCanvas):
        super().__init__(canvas)
        self.canvas = canvas
        self.on = True
        self._image: TileImage | None = None
        self._background = Background(self)
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._make)
        self.setAccessibleName("Map of the whole picture")
        self.setToolTip(tr("The whole picture; a click goes there"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        canvas.view_changed.connect(self._place)
        canvas.job_shown.connect(self._later.start)
        self.hide()

    def _place(self) -> None:
        picture, canvas = self.canvas.picture, self.canvas
        scale = _LONG_PX / max(picture.width, picture.height)
        self.resize(max(16, round(picture.width * scale)), max(16, round(picture.height * scale)))
        self.move(_MARGIN_PX, canvas.height() - self.height() - _MARGIN_PX)
        room = canvas.width() > 4 * self.width() and canvas.height() > 2.5 * self.height()
        self.setVisible(self.on and room and canvas.mode == "after" and seen_share(canvas) < _SEEN_WHOLE)
        if self.isVisible():
            if self._image is None and not self._later.isActive():
                self._later.start(0)
            self.update()

    def _make(self) -> None:
        if not self.isVisible():
            return
        canvas, job = self.canvas, self.canvas.shown_job
        level = canvas.top_level
        if job is None:
            return

        def work(task) -> np.ndarray:
            return canvas.converter.bgrx(canvas.engine.pixels(job, canvas.engine.photo.level_bounds(level), level))

        self._background.run("map", work, self._take, failed=lambda text: None, newest=True)

    def _take(self, bgrx: np.ndarray) -> None:
        self._image = TileImage(bgrx)
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme().track))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            self.canvas.painter.draw_image(painter, QRectF(self.rect()), self._image.image)
        painter.setPen(QPen(QColor(theme().line), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        across = self.canvas.view.mirrored
        if across:
            painter.translate(self.width(), 0)
            painter.scale(-1, 1)
        draw_seen(painter, self.canvas, QRectF(self.rect()))

    def _go(self, at: QPointF) -> None:
        picture = self.canvas.picture
        x = picture.width * at.x() / self.width()
        x = picture.width - x if self.canvas.view.mirrored else x
        self.canvas.set_view(self.canvas.view.centred(x, picture.height * at.y() / self.height()), fitted=False)

    def mousePressEvent(self, event) -> None:
        self._go(event.position())

    def mouseMoveEvent(self, event) -> None:
        if event.buttons():
            self._go(event.position())

    def mouseReleaseEvent(self, event) -> None:
        self.canvas.setFocus()

    def idle(self) -> bool:
        return self._background.idle()

    def close_job(self) -> None:
        self._later.stop()
        self._background.close()
