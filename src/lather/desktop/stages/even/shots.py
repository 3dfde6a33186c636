"""Pictures of Even: under the blotch lamp with the finds stepped through, and evened."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.desktop.pictures.driving import hover, wait_for


def take(desk, shot) -> None:
    """desk: the DeskScreen on the demo job. shot(name) takes a picture."""
    canvas, found = desk.canvas, desk.found
    QTest.keyClick(canvas, Qt.Key.Key_4)
    wait_for(lambda: desk.idle() and canvas.ready(), 90)
    canvas.centre_on(930, 1180, 0.62)
    desk.lamps.choose("blotch")
    desk.brush_strip.size.set_value(70, tell=True)
    wait_for(canvas.ready, 30)
    seen = canvas.view.visible(canvas.picture)
    x, y = (seen.x0 + seen.x1) / 2, (seen.y0 + seen.y1) / 2
    dark = min((f for f in found.shown() if f.kind.startswith("blotch")), key=lambda f: abs(f.x - x) + abs(f.y - y))
    desk.found.choose(None)
    desk.finds.list.scrollToTop()
    hover(canvas, dark.x, dark.y)
    wait_for(lambda: bool(desk.part.pointer_text()), 10)
    shot("even")
    desk.lamps.choose("plain")
    desk.finds.all.click()
    wait_for(lambda: desk.idle() and canvas.ready(), 60)
    canvas.centre_on(930, 1180, 0.62)
