"""Pictures of Sculpt: the proposed paths, hatched on the photo; and laid down."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import hover, wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas = desk.canvas
    QTest.keyClick(canvas, Qt.Key.Key_5)
    wait_for(lambda: desk.idle() and canvas.ready(), 90)
    canvas.centre_on(930, 1160, 0.56)
    desk.brush_strip.choose("shade")
    for _ in range(4):
        QTest.keyClick(canvas, Qt.Key.Key_W)
    hover(canvas, 700, 1500)
    wait_for(canvas.ready, 30)
    shot("sculpt")
    QTest.keyClick(canvas, Qt.Key.Key_E)
    wait_for(lambda: desk.idle() and canvas.ready(), 60)
