"""Mouse and tablet as one kind of event."""

import time
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QMouseEvent, QTabletEvent

from lather.desktop.input.pressure import curve


@dataclass(frozen=True)
class PenEvent:
    """kind: press, move, release, leave. x, y: source px. pressure 0-1, by the person's own curve (1 for a mouse).
    seconds: when.

    down: the tip (or left button) is down. context: the right button. shift: reverse. is_pen: a tablet.
    """

    kind: str
    x: float
    y: float
    pressure: float
    seconds: float
    down: bool = False
    context: bool = False
    shift: bool = False
    is_pen: bool = False


_KINDS = {
    QEvent.Type.MouseButtonPress: "press", QEvent.Type.MouseMove: "move", QEvent.Type.MouseButtonRelease: "release",
    QEvent.Type.TabletPress: "press", QEvent.Type.TabletMove: "move", QEvent.Type.TabletRelease: "release",
    QEvent.Type.MouseButtonDblClick: "press",
}


def from_mouse(event: QMouseEvent, place: tuple[float, float]) -> PenEvent:
    return PenEvent(
        _KINDS.get(event.type(), "move"), *place, 1.0, time.monotonic(),
        bool(event.buttons() & Qt.MouseButton.LeftButton), event.button() == Qt.MouseButton.RightButton,
        bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier),
    )


def from_tablet(event: QTabletEvent, place: tuple[float, float]) -> PenEvent:
    return PenEvent(
        _KINDS.get(event.type(), "move"), *place, curve()(float(event.pressure())), time.monotonic(),
        bool(event.buttons() & Qt.MouseButton.LeftButton), event.button() == Qt.MouseButton.RightButton,
        bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier), True,
    )
