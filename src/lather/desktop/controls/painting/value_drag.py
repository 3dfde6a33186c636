"""Brush values by a held key: S and drag for size and edge, D for ceiling and flow; S tapped measures the place."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from lather.core.mending.under_pointer import look_under
from lather.core.people.guard import Guard
from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.painting.hover import HoverLook
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent

_TAP_PX = 3
_LARGE_SHARE, _LARGE_PX = 0.04, 16.0  # of the face's width, and px, over which a measured size is not simply taken
HELD = ("drag_size", "drag_ceiling")


class ValueDrag(QObject):
    """`changed()` after the brush is another. `held`: the key that is down, of HELD, or "".

    measured_size(x, y): brush size for what lies at a place, where the stage in hand knows it. guard: past whose edges
    nothing is measured. face_px: width of the face in hand.
    """

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, state: BrushState, hover: HoverLook, parent=None):
        super().__init__(parent)
        self.canvas, self.state, self._hover = canvas, state, hover
        self.measured_size = lambda x, y: None
        self.guard: Callable[[], Guard | None] = lambda: None
        self.face_px: Callable[[], float | None] = lambda: None
        self._asked: tuple[float, float, float] | None = None
        self.held = ""
        self._grab: tuple[QPointF, float, float] | None = None
        self._moved = False

    @property
    def active(self) -> bool:
        return self._grab is not None

    def hold(self, key: str) -> None:
        self.held = key
        if self.canvas.pointer is not None:
            brush = self.state.brush
            values = (brush.size_px, brush.edge) if key == "drag_size" else (brush.ceiling, brush.flow)
            self._grab = (QPointF(self.canvas.pointer), *values)

    def let_go(self, key: str, place: PenEvent | None) -> None:
        if key == "drag_size" and self.active and not self._moved:
            self._measure(place)
        self.held = ""
        self.end()

    def end(self) -> None:
        self._grab, self._moved = None, False

    def follow(self) -> None:
        """The pointer has moved."""
        if self._grab is None or self.canvas.pointer is None:
            return
        at, first, second = self._grab
        way = self.canvas.pointer - at
        self._moved = self._moved or way.manhattanLength() > _TAP_PX
        if self.held == "drag_size":
            self.state.change(size_px=first * 2 ** (way.x() / 120), edge=second - way.y() / 200)
        else:
            self.state.change(ceiling=max(0.01, first + way.x() / 200), flow=max(0.01, second - way.y() / 200))
        self.changed.emit()
        self.canvas.update()

    def _measure(self, place: PenEvent | None) -> None:
        """Size and edge measured from what lies under the pointer."""
        if place is None:
            return
        if self.state.tool == "sweep":
            if self._hover.hint is not None:
                self.state.change(size_px=self._hover.hint.size_px)
                self.changed.emit()
            return
        size = self.measured_size(place.x, place.y)
        if size is not None:
            self.state.change(size_px=size)
            self.changed.emit()
            return
        found = look_under(self.canvas.engine.photo, place.x, place.y, guard=self.guard())
        if found is None:
            self.message.emit("The skin is even here; there is nothing to measure.")
            return
        if self._is_large(found.size_px) and not self._was_asked(place, found.size_px):
            self._asked = (place.x, place.y, found.size_px)
            self.message.emit(phrase("About %1 px, which is large for a face of this size: tap {drag_size} again to "
                                     "take it.", f"{found.size_px:.0f}"))
            return
        self.state.change(size_px=found.size_px, edge=found.edge)
        self.changed.emit()

    def _is_large(self, size_px: float) -> bool:
        face_px = self.face_px()
        return face_px is not None and size_px > max(_LARGE_PX, _LARGE_SHARE * face_px)

    def _was_asked(self, place: PenEvent, size_px: float) -> bool:
        """True if the same was said of about the same place just before."""
        asked, self._asked = self._asked, None
        return asked is not None and np.hypot(asked[0] - place.x, asked[1] - place.y) < 0.5 * size_px

    def text(self) -> str:
        """What stands at the pointer meanwhile."""
        brush = self.state.brush
        if self.held == "drag_size":
            return phrase("%1 px · edge %2 %", f"{brush.size_px:.0f}", f"{brush.edge * 100:.0f}")
        return phrase("ceiling %1 % · flow %2 %", f"{brush.ceiling * 100:.0f}", f"{brush.flow * 100:.0f}")
