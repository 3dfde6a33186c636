"""Moving the picture, and the line of the wipe, by mouse or pen."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, Qt

if TYPE_CHECKING:
    from lather.desktop.canvas.canvas import PhotoCanvas

_GRAB_PX = 14


class Navigation:
    """`panning`: the move key is held, or this canvas has no pen. Each method is True if the event was for it."""

    def __init__(self, canvas: "PhotoCanvas"):
        self._canvas = canvas
        self.panning = False
        self._drag: QPointF | None = None
        self._wiping = False

    def press(self, position: QPointF, button: Qt.MouseButton) -> bool:
        canvas = self._canvas
        if self.panning or button == Qt.MouseButton.MiddleButton:
            self._drag = position
            canvas.setCursor(Qt.CursorShape.ClosedHandCursor)
            return True
        self._wiping = canvas.mode == "wipe" and abs(position.x() - canvas.wipe * canvas.width()) < _GRAB_PX
        return self._wiping

    def move(self, position: QPointF) -> bool:
        canvas = self._canvas
        if self._drag is not None:
            by = (position - self._drag) * canvas.devicePixelRatioF()
            self._drag = position
            canvas.set_view(canvas.view.moved(by.x(), by.y()), fitted=False)
            return True
        if self._wiping:
            canvas.wipe = min(0.98, max(0.02, position.x() / max(1, canvas.width())))
            canvas.update()
        return self._wiping

    def release(self) -> bool:
        held = self._drag is not None or self._wiping
        if held:
            self._drag, self._wiping = None, False
            self._canvas.unsetCursor()
        return held
