"""Brush values by a held key: S and drag for size and edge, D for ceiling and flow; S tapped measures the place."""

from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from lather.core.mending.under_pointer import look_under
from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.painting.hover import HoverLook
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent

_TAP_PX = 3
HELD = ("drag_size", "drag_ceiling")


class ValueDrag(QObject):
    """`changed()` after the brush is another. `held`: the key that is down, of HELD, or "".

    measured_size(x, y): brush size for what lies at a place, where the stage in hand knows it.
    """

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, state: BrushState, hover: HoverLook, parent=None):
        super().__init__(parent)
        self.canvas, self.state, self._hover = canvas, state, hover
        self.measured_size = lambda x, y: None
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
        found = look_under(self.canvas.engine.photo, place.x, place.y)
        if found is None:
            self.message.emit("The skin is even here; there is nothing to measure.")
            return
        self.state.change(size_px=found.size_px, edge=found.edge)
        self.changed.emit()

    def text(self) -> str:
        """What stands at the pointer meanwhile."""
        brush = self.state.brush
        if self.held == "drag_size":
            return phrase("%1 px · edge %2 %", f"{brush.size_px:.0f}", f"{brush.edge * 100:.0f}")
        return phrase("ceiling %1 % · flow %2 %", f"{brush.ceiling * 100:.0f}", f"{brush.flow * 100:.0f}")
