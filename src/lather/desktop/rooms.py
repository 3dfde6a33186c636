"""What is there without a job as well: the logbook, the practice room, the sitting."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QWidget

from lather.desktop.practice.open_lesson import OpenLesson
from lather.desktop.screens.logbook import LogbookScreen
from lather.desktop.screens.practice import PracticeScreen
from lather.desktop.screens.sitting import SittingScreen

if TYPE_CHECKING:
    from lather.desktop.window import MainWindow


def add_rooms(window: "MainWindow", lesson: OpenLesson | None = None) -> None:
    """Made anew with every job, as the other screens are. lesson: that the job is of."""
    logbook = LogbookScreen(window.records)
    logbook.job_wanted.connect(window.open_logged)
    practice = PracticeScreen(window.records, window.job if lesson is not None else None, lesson)
    practice.begun.connect(window.open_lesson)
    practice.to_desk.connect(lambda: window.show_screen("desk"))
    _add(window, "logbook", logbook)
    _add(window, "practice", practice)
    _add_sitting(window)


def _add(window: "MainWindow", key: str, screen: QWidget) -> None:
    screen.message.connect(window.say)
    window.screens[key] = screen
    window.stack.addWidget(screen)


def _add_sitting(window: "MainWindow") -> None:
    """The sitting's screen, once there is a sitting."""
    there = window.sitting.sitting is not None
    if there and "sitting" not in window.screens:
        screen = SittingScreen(window.sitting, window.job)
        screen.open_wanted.connect(window.open_path)
        _add(window, "sitting", screen)
    window.header.show_sitting(there)


def open_sitting(window: "MainWindow", paths: Sequence[str | Path]) -> bool:
    """A folder of photos, or several of one, as a sitting; beside the job that is open."""
    if not window.sitting.open(paths):
        return False
    _add_sitting(window)
    window.show_screen("sitting")
    return True


def ask_sitting(window: "MainWindow") -> None:
    """Ask for the folder."""
    session = window.job.session if window.job is not None else None
    start = session.photo_path.parent if session is not None and session.photo_path is not None else Path.home()
    folder = QFileDialog.getExistingDirectory(window, "The folder with the photos of a sitting", str(start))
    if folder:
        open_sitting(window, [folder])
