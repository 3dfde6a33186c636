"""The window driven as a person would: for pictures of it, and for trying things out."""

import time

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.desktop.canvas.canvas import PhotoCanvas


def wait_for(condition, seconds: float = 20.0) -> None:
    """Let events run until the condition holds."""
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.005)
    QApplication.processEvents()


def point_at(canvas: PhotoCanvas, x: float, y: float) -> QPoint:
    sx, sy = canvas.view.to_screen(x, y)
    ratio = canvas.devicePixelRatioF()
    return QPoint(round(sx / ratio), round(sy / ratio))


def hover(canvas: PhotoCanvas, x: float, y: float) -> None:
    at = QPointF(point_at(canvas, x, y))
    event = QMouseEvent(QEvent.Type.MouseMove, at, canvas.mapToGlobal(at), Qt.MouseButton.NoButton,
                        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(canvas, event)


def drag(canvas: PhotoCanvas, places) -> None:
    """The left button from the first place to the last."""
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=point_at(canvas, *places[0]))
    for place in places[1:]:
        at = QPointF(point_at(canvas, *place))
        QApplication.sendEvent(canvas, QMouseEvent(
            QEvent.Type.MouseMove, at, canvas.mapToGlobal(at), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=point_at(canvas, *places[-1]))
