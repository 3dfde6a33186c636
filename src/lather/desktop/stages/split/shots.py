"""Pictures of Split: an outline evened, and the texture alone under its lamp."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import drag, wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas = desk.canvas
    QTest.keyClick(canvas, Qt.Key.Key_3)
    canvas.centre_on(960, 1180, 0.8)
    desk.stages["split"].panel.new["tone"].click()
    desk.brush_strip.size.set_value(34, tell=True)
    drag(canvas, [(800, 1150), (880, 1100), (960, 1150), (950, 1260), (860, 1290), (800, 1230)])
    wait_for(lambda: desk.idle() and canvas.ready(), 30)
    shot("split")
    desk.stages["split"].panel.new["veil"].click()
    drag(canvas, [(780, 1180), (900, 1160), (930, 1240), (800, 1270), (900, 1300)])
    wait_for(lambda: desk.idle() and canvas.ready(), 30)
