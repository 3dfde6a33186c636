"""A picture of Crisp: its proposals laid."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas, part = desk.canvas, desk.stages["crisp"]
    QTest.keyClick(canvas, Qt.Key.Key_9)
    wait_for(lambda: desk.idle() and canvas.ready(), 90)
    for name in ("lips", "eyes", "brows"):
        part.take_part(name)
        wait_for(lambda: desk.idle() and canvas.ready(), 60)
    canvas.centre_on(*desk.job.job.face_map.frame[0], 1.0)
    part.hatch.set_shown(True)
    wait_for(lambda: desk.idle() and canvas.ready(), 60)
    shot("crisp")
    part.hatch.set_shown(False)
