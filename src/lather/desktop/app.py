"""Starts the window."""

import atexit
import logging
import os
import signal
import sys
from pathlib import Path

from PyQt6 import sip
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from lather import interrupt
from lather.core import log, warmup
from lather.core.phrases import phrase
from lather.core.threads import wait_for_ended
from lather.desktop.canvas import pointer
from lather.desktop.compiling import Compiling
from lather.desktop.settings.applied import SCALE, SCALED_BY_SETTING, apply, apply_scale
from lather.desktop.theme import icons
from lather.desktop.theme.style import font, load_fonts
from lather.desktop.window.placement import was_filled

_log = logging.getLogger(__name__)
_PATIENCE_S = 20.0  # for what was told to end when the window was closed
_application: QApplication | None = None  # Qt needs it to be held as long as a window lives


def has_display() -> bool:
    """True if a window can be shown (or a test asked for an off-screen one)."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))


def make_application() -> QApplication:
    global _application
    if QApplication.instance() is not None:
        return QApplication.instance()
    apply_scale()
    QApplication.setHighDpiScaleFactorRoundingPolicy(Qt.HighDpiScaleFactorRoundingPolicy.PassThrough)
    app = _application = QApplication(["lather"])
    atexit.register(_end_application)
    sys.setswitchinterval(0.001)  # the window's thread must not wait 5 ms for each worker in Python code
    app.setApplicationName("lather")
    app.setApplicationDisplayName("Lather")
    app.setDesktopFileName("lather")
    app.setWindowIcon(QIcon(str(icons.FOLDER / "lather.svg")))
    app.setStyle("Fusion")
    load_fonts()
    app.setFont(font())
    apply()
    return app


def _end_application() -> None:
    """Take Qt down in its own order: pixmaps and windows that outlive the application crash the exit."""
    global _application
    for window in QApplication.topLevelWidgets():
        if not sip.isdeleted(window):  # a menu goes with its window
            sip.delete(window)
    pointer.ring_image.cache_clear()
    icons.pixmap.cache_clear()
    if _application is not None:
        sip.delete(_application)
        _application = None


def run(path: str | Path | None = None, *, demo: bool = False) -> int:
    """Open the window on a file, on the demo job, or empty; returns the exit code."""
    from lather.desktop.window.main_window import MainWindow

    app = make_application()
    unsaved: list[str] = []
    stop = QTimer()  # not at once: it may come in the middle of opening or closing something
    stop.setSingleShot(True)
    for number in (signal.SIGINT, signal.SIGTERM):  # before there is a window: Qt would swallow what is raised in it
        signal.signal(number, lambda *_: stop.start(0))
    window = MainWindow()
    stop.timeout.connect(lambda: _stop(app, window, unsaved))
    window.showMaximized() if was_filled() else window.show()
    if demo:
        QTimer.singleShot(0, window.open_demo)
    elif path is not None:
        QTimer.singleShot(0, lambda: window.open_path(path))
    compiling = Compiling(window)
    compiling.start()
    warmup.read_ahead()
    ticks = QTimer()
    ticks.start(300)  # lets Python see Ctrl+C in the terminal
    ticks.timeout.connect(lambda: None)
    sys.excepthook = lambda kind, error, trace: _report(window, kind, error, trace)
    code = app.exec()
    compiling.stop()
    if code != interrupt.EXIT_CODE:
        wait_for_ended(_PATIENCE_S)
    if window.again is not None:
        _start_again(window.again)
    if code == interrupt.EXIT_CODE:  # threads that still work are not waited for
        interrupt.end_now("stopped; what was not saved is offered at the next start." if unsaved else "stopped.")
    return code


def _start_again(files: list[str]) -> None:
    """In place of this process, with the settings that are read only once."""
    scaled_here = os.environ.get(SCALE) == os.environ.pop(SCALED_BY_SETTING, None)
    if scaled_here:
        os.environ.pop(SCALE, None)
    _end_application()
    os.execv(sys.executable, [sys.executable, "-m", "lather", "open", *files])


def _stop(app: QApplication, window, unsaved: list) -> None:
    """Ctrl-C in the terminal, or the end of the session: nothing is asked, and nothing that was done is lost.

    unsaved: takes the title of a job that was not saved.
    """
    interrupt.stopping()
    try:
        if window.job is not None and not window.job.saved:
            unsaved.append(window.job.job.title)
        window.stop()
    finally:
        app.exit(interrupt.EXIT_CODE)


def _report(window, kind, error, trace) -> None:
    """An error nobody expected: said in the window, printed and logged in full, and the program goes on."""
    sys.__excepthook__(kind, error, trace)
    window.warn(log.unexpected(
        _log, error, phrase("Something went wrong (%1); your work is kept. Save the job and start again.", error)))
