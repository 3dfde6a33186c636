"""The photo: shows tiles, before/after and what is drawn over them; turns events into view moves and pen events."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QSizePolicy

from lather.core.colour import profiles
from lather.core.engine.engine import Engine
from lather.core.job.model import Job
from lather.core.lamps.registry import PLAIN, under_lamp
from lather.core.phrases import phrase
from lather.core.types import TILE, Rect, tile_rect, tiles_of
from lather.desktop.canvas.display import DisplayConverter
from lather.desktop.canvas.navigation import Navigation
from lather.desktop.canvas.photo_view import HALVED, PhotoView
from lather.desktop.canvas.picture_painter import PicturePainter
from lather.desktop.canvas.tile_store import Showing, TileStore
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.input.pen import PenEvent, from_mouse, from_tablet
from lather.desktop.theme.tokens import theme

MODES = ("after", "before", "wipe", "side", "unnamed")
_PAGE = "#f4f4f2"  # paper, without a tint


class PhotoCanvas(PhotoView):
    """Shows one job. Pen and mouse arrive as `pen(PenEvent)`; moving the picture is handled by `navigation`.
    `job_shown()` after another job, or state of it, is shown.

    mode: "after", "before", "wipe" (photo left of the line), "side" (photo | retouch), "unnamed" (the same, but
    nobody says which is which; swapped: the retouch is left). page: shown on paper white instead of grey. lamp: of
    LAMPS, or PLAIN; lamp_settings: what was set for it. photo_moved: before is the photo as the retouch moves it.
    """

    pen = pyqtSignal(object)
    painted = pyqtSignal()
    failed = pyqtSignal(object)
    job_shown = pyqtSignal()

    def __init__(self, engine: Engine, display_profile: bytes | None = None, parent=None):
        super().__init__(engine.photo, parent)
        self.engine = engine
        self.converter = DisplayConverter(engine.photo.profile, display_profile)
        self.store = TileStore(engine, self.converter, self)
        self.store.arrived.connect(self._tile_arrived)
        self.store.failed.connect(self.failed)
        self.wipe = 0.5
        self.swapped = self.page = False
        self.overlay = None  # callable(painter, canvas), draws over the photo in device px
        self.navigation = Navigation(self)
        self.painter = PicturePainter(self)
        self.lamp, self.lamp_settings = PLAIN, {}
        self.photo_moved = False
        self._job: Job | None = None
        self.setMouseTracking(True)
        self.setTabletTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Photo")
        self.setProperty(TAKES_COMMANDS, True)
        self._ask_later = QTimer(self)
        self._ask_later.setSingleShot(True)
        self._ask_later.timeout.connect(self.ask)
        self.view_changed.connect(lambda: self._ask_later.start(0))

    # what is shown

    def set_job(self, job: Job) -> None:
        self._plain_job = job
        self._job = self.viewed(job)
        self._warp = self.engine.warp(job)
        self.ask()
        self.update()
        self.job_shown.emit()

    @property
    def shown_job(self) -> Job | None:
        """The job as it is shown, with the lamp in hand."""
        return self._job

    def set_lamp(self, lamp: str, settings: dict | None = None) -> None:
        """Show the picture plain, or under a lamp."""
        settings = settings or {}
        if (lamp, settings) != (self.lamp, self.lamp_settings):
            self.lamp, self.lamp_settings = lamp, settings
            if self._job is not None:
                self.set_job(self._plain_job)

    def set_mirrored(self, on: bool) -> None:
        if on != self.view.mirrored:
            self.set_view(replace(self.view, mirrored=on))

    def viewed(self, job: Job) -> Job:
        """The job as it is shown under the lamp in hand."""
        return under_lamp(job, self.lamp, self.lamp_settings)

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.ask()
        self.update()

    def ask(self) -> None:
        """Ask for the tiles in sight, nearest to the pointer first."""
        if self._job is None or self.width() < 2 or not self.isVisible():
            return
        level = self.level
        seen = self.view.visible(self.picture, level)
        at = self._pointer or QPointF(self.view.width / 2, self.view.height / 2)
        px, py = self.view.to_source(at.x(), at.y())
        step = TILE << level

        def distance(tile):
            return (tile[0] + 0.5 - px / step) ** 2 + (tile[1] + 0.5 - py / step) ** 2

        tiles = tuple(sorted(tiles_of(seen), key=distance))
        # the photo itself costs little, makes "before" immediate, and stands there until the retouch is worked out
        self.store.show(Showing(self._job, "moved" if self.photo_moved else "photo", level, tiles), "before")
        self.store.show(Showing(self._job, None, level, tiles), "view")

    def ready(self) -> bool:
        """True when nothing is being made any more."""
        return not self.store.busy() and not self._ask_later.isActive()

    def _tile_arrived(self, level: int, column: int, row: int) -> None:
        if level == self.level:
            bounds = self.engine.photo.level_bounds(level)
            self.update_rect(tile_rect(column, row, bounds.x1, bounds.y1), level)

    def update_rect(self, rect: Rect, level: int) -> None:
        """Draw again what lies over a rectangle of a level."""
        if self.mode in HALVED:
            self.update()
            return
        self.update(self._widget_rect(self.painter.screen_rect(rect, level)))

    def _widget_rect(self, device: QRect) -> QRect:
        ratio = self.devicePixelRatioF()
        return QRectF(
            device.x() / ratio - 1, device.y() / ratio - 1, device.width() / ratio + 2, device.height() / ratio + 2
        ).toAlignedRect()

    # drawing

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        try:
            self._paint(painter, event)
        finally:  # a painter that an error keeps alive would be in the way of every later one
            painter.end()
        self.painted.emit()

    def _paint(self, painter: QPainter, event) -> None:
        ratio = self.devicePixelRatioF()
        painter.fillRect(event.rect(), QColor(_PAGE if self.page else theme().surround))
        painter.scale(1 / ratio, 1 / ratio)
        if self._job is not None:
            dirty = event.rect()
            self.painter.draw(painter, QRect(
                round(dirty.x() * ratio) - 1, round(dirty.y() * ratio) - 1,
                round(dirty.width() * ratio) + 2, round(dirty.height() * ratio) + 2,
            ))
        if self.overlay is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.overlay(painter, self)

    def draw_source_inside(self, painter: QPainter, centre: QPointF, radius: float, offset) -> None:
        self.painter.draw_source_inside(painter, centre, radius, offset)

    def show_live(self, rect: Rect, level: int, bgrx: np.ndarray) -> None:
        """Finished pixels of the stroke under the pen."""
        self.store.blit_live(rect, level, bgrx)
        if level == self.level:
            self.update_rect(rect, level)

    # events

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._ask_later.start(0)

    def colour_text(self, x: float, y: float) -> str:
        """L*, a*, b* of the finished picture at a source place, "" while its tile is not ready."""
        level, (x, y) = self.level, self.above(x, y)
        column, row = int(x) >> (8 + level), int(y) >> (8 + level)
        key = self.store.key_at(level, column, row)
        tile = self.engine.cache.get(key) if key is not None else None
        if tile is None:
            return ""
        px, py = (int(x) >> level) - column * TILE, (int(y) >> level) - row * TILE
        if not (0 <= py < tile.shape[0] and 0 <= px < tile.shape[1]):
            return ""
        lightness, a, b = profiles.to_lab(tile[py : py + 1, px : px + 1], self.engine.photo.profile)[0, 0]
        return phrase("L* %1   a* %2   b* %3", f"{lightness:.1f}", f"{a:.1f}", f"{b:.1f}")

    def mousePressEvent(self, event) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if not self.navigation.press(event.position(), event.button()):
            self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def mouseMoveEvent(self, event) -> None:
        self._pointer = self.to_device(event.position())
        if not self.navigation.move(event.position()):
            self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def mouseReleaseEvent(self, event) -> None:
        if not self.navigation.release():
            self.pen.emit(from_mouse(event, self.source_at(event.position())))

    def tabletEvent(self, event) -> None:
        position, kind = event.position(), event.type()
        self._pointer = self.to_device(position)
        moved = (
            (kind == QEvent.Type.TabletPress and self.navigation.press(position, event.button()))
            or (kind == QEvent.Type.TabletMove and self.navigation.move(position))
            or (kind == QEvent.Type.TabletRelease and self.navigation.release())
        )
        if not moved:
            self.pen.emit(from_tablet(event, self.source_at(position)))
        event.accept()

    def leaveEvent(self, event) -> None:
        self._pointer = None
        self.pen.emit(PenEvent("leave", 0, 0, 0, 0))
        self.update()
