"""Draws the tiles of a canvas: after, before, one beside the other, or with a line between them."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRect, QRectF
from PyQt6.QtGui import QImage, QPainter

from lather.core.types import TILE, Rect, tile_rect, tiles_of
from lather.desktop.canvas.photo_view import HALVED
from lather.desktop.canvas.pointer import draw_split_line, draw_tag, inside_ring

if TYPE_CHECKING:
    from lather.desktop.canvas.canvas import PhotoCanvas


class PicturePainter:
    """Device pixels throughout."""

    def __init__(self, canvas: "PhotoCanvas"):
        self._canvas = canvas

    def screen_rect(self, rect: Rect, level: int) -> QRect:
        """Device pixels of a rectangle of a level; neighbours meet without a seam."""
        canvas, step = self._canvas, 1 << level
        picture = canvas.picture
        x0, y0 = canvas.view.to_screen(rect.x0 * step, rect.y0 * step)
        x1, y1 = canvas.view.to_screen(min(rect.x1 * step, picture.x1), min(rect.y1 * step, picture.y1))
        (left, right), top = sorted((round(x0), round(x1))), round(y0)
        return QRect(left, top, right - left, round(y1) - top)

    def draw(self, painter: QPainter, dirty: QRect) -> None:
        canvas = self._canvas
        width, height = round(canvas.width() * canvas.devicePixelRatioF()), canvas.view.height
        if canvas.mode in HALVED:
            half, unnamed = width // 2, canvas.mode == "unnamed"
            photo_left = not (unnamed and canvas.swapped)
            for before, left in ((photo_left, 0), (not photo_left, half)):
                painter.save()
                painter.setClipRect(QRect(left, 0, half, height))
                painter.translate(left, 0)
                self._draw_tiles(painter, dirty.translated(-left, 0), before)
                painter.restore()
            names = ("A", "B") if unnamed else ("Photo", "Retouch")
            draw_tag(painter, 12, 24, names[0])
            draw_tag(painter, half + 12, 24, names[1])
            draw_split_line(painter, half, height)
        elif canvas.mode == "wipe":
            line = round(canvas.wipe * width)
            for before, left, right in ((True, 0, line), (False, line, width)):
                painter.save()
                painter.setClipRect(QRect(left, 0, right - left, height))
                self._draw_tiles(painter, dirty, before)
                painter.restore()
            draw_split_line(painter, line, height, handle=True)
            draw_tag(painter, 12, 24, "Photo")
            draw_tag(painter, width - 12, 24, "Retouch", right=True)
        else:
            self._draw_tiles(painter, dirty, canvas.mode == "before")
            if canvas.mode == "before":
                draw_tag(painter, 12, 24, "Photo, as it came")

    def _draw_tiles(self, painter: QPainter, dirty: QRect, before: bool) -> None:
        canvas, level = self._canvas, self._canvas.level
        bounds = canvas.engine.photo.level_bounds(level)
        smooth = canvas.view.scale * (1 << level) < 1.999  # enlarged pixels stay square: they are judged
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        for column, row in tiles_of(canvas.view.visible(canvas.picture, level)):
            rect = tile_rect(column, row, bounds.x1, bounds.y1)
            target = self.screen_rect(rect, level)
            if not target.intersects(dirty):
                continue
            tile = canvas.store.image(level, column, row, before=before)
            if tile is not None:
                self.draw_image(painter, QRectF(target), tile.image)
            else:
                self._draw_coarser(painter, rect, target, level, before)

    def _draw_coarser(self, painter: QPainter, rect: Rect, target: QRect, level: int, before: bool) -> None:
        """A coarser tile stands in until this one is ready."""
        for other in range(level + 1, self._canvas.top_level + 1):
            shift = other - level
            column, row = (rect.x0 >> shift) // TILE, (rect.y0 >> shift) // TILE
            tile = self._canvas.store.image(other, column, row, before=before)
            if tile is not None:
                step = 1 << shift
                source = QRectF(rect.x0 / step - column * TILE, rect.y0 / step - row * TILE,
                                rect.width / step, rect.height / step)
                self.draw_image(painter, QRectF(target), tile.image, source)
                return

    def draw_image(self, painter: QPainter, target: QRectF, image: QImage, source: QRectF | None = None) -> None:
        """An image (or part of it) over a rectangle of the screen, turned round where the view is mirrored."""
        source = QRectF(image.rect()) if source is None else source
        if not self._canvas.view.mirrored:
            painter.drawImage(target, image, source)
            return
        painter.save()
        painter.translate(target.left() + target.right(), 0)
        painter.scale(-1, 1)
        painter.drawImage(target, image, source)
        painter.restore()

    def draw_source_inside(self, painter: QPainter, centre: QPointF, radius: float, offset) -> None:
        """The pixels that would be taken, shown inside the pointer before painting."""
        with inside_ring(painter, centre, radius):
            scale = self._canvas.view.scale
            dx, dy = -offset[0] * scale, -offset[1] * scale
            dx = -dx if self._canvas.view.mirrored else dx
            painter.translate(dx, dy)
            reach = QRect(round(centre.x() - radius - dx) - 1, round(centre.y() - radius - dy) - 1,
                          round(2 * radius) + 3, round(2 * radius) + 3)
            self._draw_tiles(painter, reach, False)
