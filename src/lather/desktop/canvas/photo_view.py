"""A widget that looks at a picture: where its places are on the screen, and moving and zooming what is seen."""

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtWidgets import QWidget

from lather.core.engine.photo import Photo
from lather.core.stages.base import STILL, Warp
from lather.core.types import Rect
from lather.desktop.canvas.view import View

_TOP_LEVEL_PX = 200  # the coarsest level is no longer than that
_ZOOM_STEP = 480  # of the wheel, for twice the size


HALVED = ("side", "unnamed")
"""Modes in which each half of the widget shows the picture."""


class PhotoView(QWidget):
    """`view_changed()` after every move. mode: "side" halves the widget. Places that `to_screen` takes are the photo's:
    what the job moves (`_warp`) lies between the two.
    """

    view_changed = pyqtSignal()

    def __init__(self, photo: Photo, parent=None):
        super().__init__(parent)
        self._photo = photo
        self.view = View()
        self.mode = "after"
        self._warp: Warp = STILL
        self._fitted = False
        self._pointer: QPointF | None = None
        top = 0
        while max(photo.level_bounds(top)[2:]) > _TOP_LEVEL_PX:
            top += 1
        self.top_level = top

    @property
    def level(self) -> int:
        return self.view.level(self.top_level)

    @property
    def picture(self) -> Rect:
        return self._photo.bounds

    def fit(self) -> None:
        self.set_view(self._half_view().fitted(self.picture), fitted=True)

    def set_view(self, view: View, *, fitted: bool | None = None) -> None:
        """fitted: whether the picture is to follow the size of the window from now on; None: as it was."""
        self._fitted = self._fitted if fitted is None else fitted
        self.view = view.kept_near(self.picture)
        self.update()
        self.view_changed.emit()

    def zoom_to(self, scale: float) -> None:
        """100 % and the like, around the pointer or the middle."""
        at = self._pointer or QPointF(self.view.width / 2, self.view.height / 2)
        self.set_view(self.view.at_scale(scale, at.x(), at.y()), fitted=False)

    def centre_on(self, x: float, y: float, scale: float | None = None) -> None:
        view = self.view.at_scale(scale, 0, 0) if scale else self.view
        self.set_view(view.centred(*self.above(x, y)), fitted=False)

    def bring_into_view(self, area: Rect) -> None:
        """Move the picture only if the middle of an area of it is out of sight."""
        x, y = self.above((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2)
        seen = self.view.visible(self.picture)
        if not (seen.x0 < x < seen.x1 and seen.y0 < y < seen.y1):
            self.centre_on((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2)

    def _half_view(self) -> View:
        """In side-by-side mode each half is a canvas of its own."""
        ratio = self.devicePixelRatioF()
        width, height = round(self.width() * ratio), round(self.height() * ratio)
        return self.view.resized(width // 2 if self.mode in HALVED else width, height)

    def source_at(self, position: QPointF) -> tuple[float, float]:
        """Place of the photo under a point of the widget (logical px)."""
        device = self.to_device(position)
        place = self.view.to_source(device.x(), device.y())
        if self._warp is STILL:
            return place
        x, y = self._warp.to_below(np.array(place))
        return float(x), float(y)

    def above(self, x: float, y: float) -> tuple[float, float]:
        """Where a place of the photo is in the picture as it is shown."""
        if self._warp is STILL:
            return x, y
        x, y = self._warp.to_above(np.array((x, y), float))
        return float(x), float(y)

    def to_screen(self, x: float, y: float) -> QPointF:
        """Device pixels of a place of the photo."""
        return QPointF(*self.view.to_screen(*self.above(x, y)))

    def on_screen(self, dx: float, dy: float) -> QPointF:
        """A way over the picture in device pixels."""
        return QPointF(-dx if self.view.mirrored else dx, dy) * self.view.scale

    def to_device(self, position: QPointF) -> QPointF:
        device = position * self.devicePixelRatioF()
        if self.mode in HALVED and device.x() >= self.view.width:
            device.setX(device.x() - self.view.width)
        return device

    def wheelEvent(self, event) -> None:
        at = self.to_device(event.position())
        delta = event.angleDelta().y()
        if delta:
            self.set_view(self.view.zoomed(2 ** (delta / _ZOOM_STEP), at.x(), at.y()), fitted=False)
        event.accept()

    def resizeEvent(self, event) -> None:
        view = self._half_view()
        if self._fitted or self.view.width <= 1:
            self._fitted = True
            view = view.fitted(self.picture)
        self.set_view(view)

    @property
    def pointer(self) -> QPointF | None:
        """Pointer in device pixels, None when it is elsewhere."""
        return self._pointer
