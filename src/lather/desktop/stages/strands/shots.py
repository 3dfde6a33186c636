"""Pictures of Strands: hairs listed and drawn on the photo, with safe ground."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    QTest.keyClick(desk.canvas, Qt.Key.Key_2)
    wait_for(desk.measured.idle, 60)
    desk.canvas.fit()
    desk.stages["strands"].panel.ground.click()
    shot("strands")
    desk.stages["strands"].panel.ground.click()
    desk.found.mending.mend_shown()
    wait_for(desk.idle, 60)
