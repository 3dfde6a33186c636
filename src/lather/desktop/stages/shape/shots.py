"""A picture of Shape: measures set, and a line behind that bends."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import drag, hover, wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas, part = desk.canvas, desk.stages["shape"]
    QTest.keyClick(canvas, Qt.Key.Key_7)
    wait_for(lambda: desk.idle() and canvas.ready(), 90)
    canvas.fit()
    panel = part.list_panel
    for name, percent in (("cheekbones", -0.6), ("jaw_corners", -0.9), ("mouth_corners", 0.4)):
        panel.rows[name].both.set_value(percent, tell=True)
    desk.brush_strip.choose("push")
    drag(canvas, [(1262, 1500), (1238, 1492), (1214, 1484)])
    wait_for(lambda: not desk.control.painting and desk.idle() and canvas.ready(), 60)
    panel.rows["jaw_corners"].picked.emit("jaw_corners")
    hover(canvas, 1250, 1250)
    shot("shape")
