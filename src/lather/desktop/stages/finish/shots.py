"""Pictures of Finish: the curve with the histogram behind it; the light pool with its two rims."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas, part = desk.canvas, desk.stages["finish"]

    def settle() -> None:
        wait_for(lambda: desk.idle() and canvas.ready(), 90)

    QTest.keyClick(canvas, Qt.Key.Key_0)
    settle()
    canvas.fit()
    for kind in ("background", "tints", "tone"):
        part.take_kind(kind)
        settle()
    tone = part.box["tone"]
    tone.controls["contrast"].set_value(8, tell=True)
    tone.curve.changed.emit([[0.0, 0.0], [0.28, 0.25], [0.5, 0.51], [0.72, 0.76], [1.0, 1.0]], False)
    tone.curve.in_hand = 3
    settle()
    shot("finish")
