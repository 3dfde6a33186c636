"""The photo: draws tiles, before/after, the pointer's rings; turns events into view moves and pen events."""

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lather.core.colour import profiles
from lather.core.engine.engine import Engine
from lather.core.job.model import Job
from lather.core.stages.look import looked_at
from lather.core.types import Rect, tile_rect, tiles_of
from lather.desktop.canvas.display import DisplayConverter
from lather.desktop.canvas.pointer import draw_split_line, draw_tag
from lather.desktop.canvas.tile_store import Showing, TileStore
from lather.desktop.canvas.view import View
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.input.pen import PenEvent, from_mouse, from_tablet
from lather.desktop.theme.tokens import theme

MODES = ("after", "before", "wipe", "side")


class PhotoCanvas(QWidget):
    """Shows one job. Pen and mouse arrive as `pen(PenEvent)`; moving the picture is handled here.

    mode: "after", "before", "wipe" (photo left of the line), "side" (photo | retouch).
    """

    pen = pyqtSignal(object)
    view_changed = pyqtSignal()
    painted = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, engine: Engine, display_profile: bytes | None = None, parent=None):
        super().__init__(parent)
        self.engine = engine
        self.converter = DisplayConverter(engine.photo.profile, display_profile)
        self.store = TileStore(engine, self.converter, self)
        self.store.arrived.connect(self._tile_arrived)
        self.store.failed.connect(self.failed)
        self.view = View()
        self.mode = "after"
        self.wipe = 0.5
        self.overlay = None  # callable(painter, canvas), draws over the photo in device px
        self.panning = False
        self._job: Job | None = None
        self._fitted = False
        self._drag: QPointF | None = None
        self._wiping = False
        self._pointer: QPointF | None = None
        top = 0
        while max(engine.photo.level_bounds(top)[2:]) > 200:
            top += 1
        self.top_level = top
        self.setMouseTracking(True)
        self.setTabletTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Photo")
        self.setProperty(TAKES_COMMANDS, True)
        self.look, self._look_settings = "picture", None
        self._ask_later = QTimer(self)
        self._ask_later.setSingleShot(True)
        self._ask_later.timeout.connect(self.ask)

    # what is shown

    def set_job(self, job: Job) -> None:
        self._plain_job = job
        self._job = self.viewed(job)
        self.ask()
        self.update()

    def set_look(self, look: str, settings: dict | None = None) -> None:
        """Show the picture, or one band of it (see `stages.look`)."""
        if (look, settings) != (self.look, self._look_settings):
            self.look, self._look_settings = look, settings
            if self._job is not None:
                self.set_job(self._plain_job)

    def viewed(self, job: Job) -> Job:
        """The job as it is shown under the look in hand."""
        return looked_at(job, self.look, self._look_settings or {})

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.ask()
        self.update()

    @property
    def level(self) -> int:
        return self.view.level(self.top_level)

    @property
    def picture(self) -> Rect:
        return self.engine.photo.bounds

    def fit(self) -> None:
        self._fitted = True
        self.set_view(self._half_view().fitted(self.picture))

    def set_view(self, view: View) -> None:
        self.view = view.kept_near(self.picture)
        self._ask_later.start(0)
        self.update()
        self.view_changed.emit()

    def zoom_to(self, scale: float) -> None:
        """100 % and the like, around the pointer or the middle."""
        at = self._pointer or QPointF(self.view.width / 2, self.view.height / 2)
        self._fitted = False
        self.set_view(self.view.at_scale(scale, at.x(), at.y()))

    def centre_on(self, x: float, y: float, scale: float | None = None) -> None:
        self._fitted = False
        view = self.view.at_scale(scale, 0, 0) if scale else self.view
        self.set_view(view.centred(x, y))

    def bring_into_view(self, area: Rect) -> None:
        """Move the picture only if the middle of an area of it is out of sight."""
        x, y = (area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2
        seen = self.view.visible(self.picture)
        if not (seen.x0 < x < seen.x1 and seen.y0 < y < seen.y1):
            self.centre_on(x, y)

    def _half_view(self) -> View:
        """In side-by-side mode each half is a canvas of its own."""
        ratio = self.devicePixelRatioF()
        width, height = round(self.width() * ratio), round(self.height() * ratio)
        return self.view.resized(width // 2 if self.mode == "side" else width, height)

    def ask(self) -> None:
        """Ask for the tiles in sight, nearest to the pointer first."""
        if self._job is None or self.width() < 2 or not self.isVisible():
            return
        level = self.level
        seen = self.view.visible(self.picture, level)
        at = self._pointer or QPointF(self.view.width / 2, self.view.height / 2)
        px, py = self.view.to_source(at.x(), at.y())
        step = 256 << level

        def distance(tile):
            return (tile[0] + 0.5 - px / step) ** 2 + (tile[1] + 0.5 - py / step) ** 2

        tiles = tuple(sorted(tiles_of(seen), key=distance))
        self.store.show(Showing(self._job, None, level, tiles), "view")
        # the photo itself costs little and makes "before" immediate
        self.store.show(Showing(self._job, "photo", level, tiles), "before")

    def ready(self) -> bool:
        """True when nothing is being made any more."""
        return not self.store.busy() and not self._ask_later.isActive()

    def _tile_arrived(self, level: int, column: int, row: int) -> None:
        if level == self.level:
            bounds = self.engine.photo.level_bounds(level)
            self.update_rect(tile_rect(column, row, bounds.x1, bounds.y1), level)

    def update_rect(self, rect: Rect, level: int) -> None:
        """Draw again what lies over a rectangle of a level."""
        if self.mode == "side":
            self.update()
            return
        self.update(self._widget_rect(self._screen_rect(rect, level)))

    def _screen_rect(self, rect: Rect, level: int) -> QRect:
        """Device pixels of a rectangle of a level; neighbours meet without a seam."""
        step = 1 << level
        x0, y0 = self.view.to_screen(rect.x0 * step, rect.y0 * step)
        x1, y1 = self.view.to_screen(
            min(rect.x1 * step, self.picture.x1), min(rect.y1 * step, self.picture.y1)
        )
        left, top = round(x0), round(y0)
        return QRect(left, top, round(x1) - left, round(y1) - top)

    def _widget_rect(self, device: QRect) -> QRect:
        ratio = self.devicePixelRatioF()
        return QRectF(
            device.x() / ratio - 1, device.y() / ratio - 1, device.width() / ratio + 2, device.height() / ratio + 2
        ).toAlignedRect()

    # drawing

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        ratio = self.devicePixelRatioF()
        painter.fillRect(event.rect(), QColor(theme().surround))
        painter.scale(1 / ratio, 1 / ratio)
        if self._job is not None:
            self._draw_modes(painter, event.rect(), ratio)
        if self.overlay is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.overlay(painter, self)
        painter.end()
        self.painted.emit()

    def _draw_modes(self, painter: QPainter, dirty: QRect, ratio: float) -> None:
        full = QRect(round(dirty.x() * ratio) - 1, round(dirty.y() * ratio) - 1,
                     round(dirty.width() * ratio) + 2, round(dirty.height() * ratio) + 2)
        width = round(self.width() * ratio)
        if self.mode == "side":
            half = width // 2
            for before, left in ((True, 0), (False, half)):
                painter.save()
                painter.setClipRect(QRect(left, 0, half, self.view.height))
                painter.translate(left, 0)
                self._draw_tiles(painter, full.translated(-left, 0), before)
                painter.restore()
            self._label(painter, 12, "Photo")
            self._label(painter, half + 12, "Retouch")
            draw_split_line(painter, half, self.view.height)
        elif self.mode == "wipe":
            line = round(self.wipe * width)
            for before, left, right in ((True, 0, line), (False, line, width)):
                painter.save()
                painter.setClipRect(QRect(left, 0, right - left, self.view.height))
                self._draw_tiles(painter, full, before)
                painter.restore()
            draw_split_line(painter, line, self.view.height, handle=True)
            self._label(painter, 12, "Photo")
            self._label(painter, width - 12, "Retouch", right=True)
        else:
            self._draw_tiles(painter, full, self.mode == "before")
            if self.mode == "before":
                self._label(painter, 12, "Photo, as it came")

    @staticmethod
    def _label(painter: QPainter, x: float, text: str, right: bool = False) -> None:
        draw_tag(painter, x, 24, text, right=right)

    def _draw_tiles(self, painter: QPainter, dirty: QRect, before: bool) -> None:
        level = self.level
        bounds = self.engine.photo.level_bounds(level)
        smooth = self.view.scale * (1 << level) < 1.999  # enlarged pixels stay square: they are judged
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        for column, row in tiles_of(self.view.visible(self.picture, level)):
            rect = tile_rect(column, row, bounds.x1, bounds.y1)
            target = self._screen_rect(rect, level)
            if not target.intersects(dirty):
                continue
            tile = self.store.image(level, column, row, before=before)
            if tile is not None:
                painter.drawImage(target, tile.image)
            else:
                self._draw_coarser(painter, rect, target, level, before)

    def _draw_coarser(self, painter: QPainter, rect: Rect, target: QRect, level: int, before: bool) -> None:
        """A coarser or finer tile stands in until this one is ready."""
        for other in range(level + 1, self.top_level + 1):
            shift = other - level
            column, row = (rect.x0 >> shift) // 256, (rect.y0 >> shift) // 256
            tile = self.store.image(other, column, row, before=before)
            if tile is not None:
                step = 1 << shift
                source = QRectF(rect.x0 / step - column * 256, rect.y0 / step - row * 256,
                                rect.width / step, rect.height / step)
                painter.drawImage(QRectF(target), tile.image, source)
                return

    def draw_source_inside(self, painter: QPainter, centre: QPointF, radius: float, offset) -> None:
        """The pixels that would be taken, shown inside the pointer before painting."""
        path = QPainterPath()
        path.addEllipse(centre, radius, radius)
        painter.save()
        painter.setClipPath(path)
        dx, dy = -offset[0] * self.view.scale, -offset[1] * self.view.scale
        painter.translate(dx, dy)
        reach = QRect(round(centre.x() - radius - dx) - 1, round(centre.y() - radius - dy) - 1,
                      round(2 * radius) + 3, round(2 * radius) + 3)
        self._draw_tiles(painter, reach, False)
        painter.restore()

    def show_live(self, rect: Rect, level: int, bgrx: np.ndarray) -> None:
        """Finished pixels of the stroke under the pen."""
        self.store.blit_live(rect, level, bgrx)
        if level == self.level:
            self.update_rect(rect, level)

    # events

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._ask_later.start(0)

    def resizeEvent(self, event) -> None:
        first = self._job is not None and not self._fitted and self.view.width <= 1
        view = self._half_view()
        if self._fitted or first or self.view.width <= 1:
            self._fitted = True
            view = view.fitted(self.picture)
        self.set_view(view)

    def source_at(self, position: QPointF) -> tuple[float, float]:
        """Source place under a point of the widget (logical px)."""
        device = self.to_device(position)
        return self.view.to_source(device.x(), device.y())

    def colour_text(self, x: float, y: float) -> str:
        """L*, a*, b* of the finished picture at a source place, "" while its tile is not ready."""
        level = self.level
        column, row = int(x) >> (8 + level), int(y) >> (8 + level)
        key = self.engine.tile_key(self._job, None, level, column, row)
        tile = self.engine.cache.get(key)
        if tile is None:
            return ""
        px, py = (int(x) >> level) - column * 256, (int(y) >> level) - row * 256
        if not (0 <= py < tile.shape[0] and 0 <= px < tile.shape[1]):
            return ""
        lightness, a, b = profiles.to_lab(tile[py : py + 1, px : px + 1], self.engine.photo.profile)[0, 0]
        return f"L* {lightness:.1f}   a* {a:.1f}   b* {b:.1f}"

    def to_device(self, position: QPointF) -> QPointF:
        device = position * self.devicePixelRatioF()
        if self.mode == "side" and device.x() >= self.view.width:
            device.setX(device.x() - self.view.width)
        return device

    def wheelEvent(self, event) -> None:
        at = self.to_device(event.position())
        delta = event.angleDelta().y()
        if delta:
            self._fitted = False
            self.set_view(self.view.zoomed(2 ** (delta / 480), at.x(), at.y()))
        event.accept()

    def mousePressEvent(self, event) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if self._starts_move(event.position(), event.button()):
            return
        self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def _starts_move(self, position: QPointF, button: Qt.MouseButton) -> bool:
        if self.panning or button == Qt.MouseButton.MiddleButton:
            self._drag = position
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return True
        if self.mode == "wipe" and abs(position.x() - self.wipe * self.width()) < 14:
            self._wiping = True
            return True
        return False

    def mouseMoveEvent(self, event) -> None:
        self._moved(event.position())
        if not self._continues_move(event.position()):
            self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def _moved(self, position: QPointF) -> None:
        self._pointer = self.to_device(position)

    def _continues_move(self, position: QPointF) -> bool:
        if self._drag is not None:
            by = (position - self._drag) * self.devicePixelRatioF()
            self._drag = position
            self._fitted = False
            self.set_view(self.view.moved(by.x(), by.y()))
            return True
        if self._wiping:
            self.wipe = min(0.98, max(0.02, position.x() / max(1, self.width())))
            self.update()
            return True
        return False

    def mouseReleaseEvent(self, event) -> None:
        if self._drag is not None or self._wiping:
            self._drag, self._wiping = None, False
            self.unsetCursor()
            return
        self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def tabletEvent(self, event) -> None:
        position = event.position()
        self._moved(position)
        kind = event.type()
        if kind == QEvent.Type.TabletPress and self._starts_move(position, event.button()):
            event.accept()
            return
        if kind == QEvent.Type.TabletMove and self._continues_move(position):
            event.accept()
            return
        if kind == QEvent.Type.TabletRelease and (self._drag is not None or self._wiping):
            self._drag, self._wiping = None, False
            event.accept()
            return
        self.pen.emit(from_tablet(event, self.source_at(position)))
        event.accept()

    def leaveEvent(self, event) -> None:
        self._pointer = None
        self.pen.emit(PenEvent("leave", 0, 0, 0, 0))
        self.update()

    @property
    def pointer(self) -> QPointF | None:
        """Pointer in device pixels, None when it is elsewhere."""
        return self._pointer
