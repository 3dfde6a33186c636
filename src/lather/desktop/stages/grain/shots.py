"""A picture of Grain: put back, and where it went."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    QTest.keyClick(desk.canvas, Qt.Key.Key_8)
    desk.stages["grain"].panel.everywhere.click()
    desk.stages["grain"].panel.missing.click()
    wait_for(lambda: desk.idle() and desk.canvas.ready(), 60)
    shot("grain")
