"""Pictures of each main view, made by driving the real window with the demo job."""

import time
from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.errors import SaveError
from lather.core.practice.demo import demo_plate, make_demo
from lather.desktop.app import make_application
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.window import MainWindow


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


def take_shots(folder: str | Path) -> list[Path]:
    """Write the PNG files; returns their paths. Raises SaveError."""
    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(f"The folder {folder} cannot be made ({error.strerror}); choose another.") from error
    make_application()
    made: list[Path] = []
    window = MainWindow()
    window.resize(1280, 800)
    window.show()

    def shot(name: str) -> None:
        screen = window.screen
        canvas = getattr(screen, "canvas", None)
        if canvas is not None:
            canvas.ask()
            wait_for(canvas.ready)
        wait_for(lambda: False, 0.2)
        path = folder / f"{name}.png"
        if not window.grab().save(str(path)):
            raise SaveError(f"{path} could not be written; choose another folder.")
        made.append(path)

    shot("start")
    session = make_demo()
    window._take(session)
    window._notice_frame.hide()
    desk, plate = window.screens["desk"], demo_plate()
    spots = sorted((f for f in plate.flaws if f.kind == "blemish_red"), key=lambda f: -f.y)
    canvas = desk.canvas
    canvas.centre_on(960, 1180, 0.8)
    wait_for(canvas.ready)
    spot = next(f for f in spots if f.zone.startswith("cheek") and 720 < f.x < 1200)
    desk.brush_strip.size.set_value(1.6 * spot.size_px + 4, tell=True)
    hover(canvas, spot.x, spot.y)
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=point_at(canvas, spot.x, spot.y))
    wait_for(lambda: not desk.control.painting)
    wait_for(canvas.ready)
    shot("desk")
    QTest.keyPress(canvas, Qt.Key.Key_H)
    shot("keys")
    QTest.keyRelease(canvas, Qt.Key.Key_H)
    wait_for(lambda: desk.control._ghost is None, 3)
    desk.brush_strip.choose("carry")
    desk.state.take(spot.x + 130, spot.y - 40)
    desk.brush_strip.size.set_value(90, tell=True)
    hover(canvas, spot.x + 40, spot.y + 60)
    shot("carry")
    for mode, name in (("wipe", "review-wipe"), ("side", "review-side")):
        window.show_screen("review")
        review = window.screens["review"]
        review._set_mode(mode)
        wait_for(review.canvas.ready)
        if mode == "side":
            review._set_zoom("1")
            review.canvas.centre_on(940, 800)
        shot(name)
    window.show_screen("deliver")
    window.screens["deliver"].folder.setText("/home/you/Pictures")
    wait_for(lambda: window.screens["deliver"].preview.pixmap().width() > 0)
    shot("deliver")
    window._close_job()
    window.close()
    return made
