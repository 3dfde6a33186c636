"""Pictures of Colour: a part of the skin matched to another with its reference; what else is done there."""

import math

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import drag, wait_for


def _ring(x: float, y: float, across: float, down: float) -> list[tuple[float, float]]:
    return [(x + across * math.cos(t / 7), y + down * math.sin(t / 7)) for t in range(44)]


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas, part = desk.canvas, desk.stages["colour"]

    def settle() -> None:
        wait_for(lambda: not desk.control.painting and desk.idle() and canvas.ready(), 90)

    QTest.keyClick(canvas, Qt.Key.Key_6)
    settle()
    points = desk.job.job.face_map.points
    part.take_kind("match")
    settle()
    nose, chin = points["nose_tip"], points["chin"]
    canvas.centre_on(chin[0] - 40, chin[1] - 60, 0.5)
    settle()
    desk.brush_strip.choose("reference")
    drag(canvas, _ring(nose[0] - 200, nose[1] + 60, 100, 84))
    settle()
    desk.brush_strip.choose("target")
    drag(canvas, _ring(chin[0] - 30, chin[1] + 250, 170, 110))
    settle()
    part.hatch.set_shown(True)
    settle()
    wait_for(lambda: part.hatch.idle(), 5)
    shot("colour")
    part.hatch.set_shown(False)
    part._take_part("eye_whites")
    settle()
    part.take_kind("iris")
    settle()
    part.take_kind("whiten")
    settle()
    for _ in range(2):
        QTest.keyClick(canvas, Qt.Key.Key_W)
        settle()
        if desk.found.current is not None and desk.found.current.kind == "shine":
            break
    QTest.keyClick(canvas, Qt.Key.Key_E)
    settle()
    settle()
    desk.found.choose(None)
