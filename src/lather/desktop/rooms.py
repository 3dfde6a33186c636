"""What is there without a job as well: the logbook, the practice room, the sitting, the settings, the handbook."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFileDialog

from lather.desktop import settings
from lather.desktop.panels.header import Header
from lather.desktop.replaying import ask_developed
from lather.desktop.screens.handbook import HandbookScreen
from lather.desktop.screens.logbook import LogbookScreen
from lather.desktop.screens.practice import PracticeScreen
from lather.desktop.screens.settings import REBUILT, SettingsScreen
from lather.desktop.screens.sitting import SittingScreen
from lather.desktop.theme.style import style_sheet

if TYPE_CHECKING:
    from lather.desktop.window import MainWindow

SCREEN_KEYS = ("desk", "review", "deliver", "brief", "logbook", "practice", "settings", "handbook")
"""Screens that a key of their own goes to."""
_LATER_MS = 100
_ASIDE = ("settings", "handbook")  # looked into and left again


def connected_header(window: "MainWindow") -> Header:
    """The top line, with what its buttons do in the window."""
    header = Header()
    header.screen_chosen.connect(lambda key: show_room(window, key))
    header.open_asked.connect(window.ask_open)
    header.demo_asked.connect(window.open_demo)
    header.path_chosen.connect(window.open_path)
    header.sitting_asked.connect(lambda: ask_sitting(window))
    header.developed_asked.connect(lambda: ask_developed(window))
    header.save_asked.connect(window.save)
    header.save_as_asked.connect(lambda: window.save(another=True))
    header.pause_asked.connect(window.toggle_pause)
    return header


def show_room(window: "MainWindow", key: str) -> None:
    """A screen; the handbook opens at what is in view, and the same key leaves it again."""
    now = _in_view(window)
    if key in _ASIDE and key == now:
        leave_room(window)
        return
    if key == "handbook" and key in window.screens:
        stage = window.job.stage_id if window.job is not None and now == "desk" else ""
        window.screens[key].turn_to(now, stage)
    if key in _ASIDE and now not in _ASIDE:
        window.setProperty("came_from", now)
    window.show_screen(key)


def leave_room(window: "MainWindow") -> bool:
    """Back from the settings or the handbook to where one came from. False where neither is in view."""
    if _in_view(window) not in _ASIDE:
        return False
    before = window.property("came_from")
    window.show_screen(before if before in window.screens else "desk" if window.job is not None else "start")
    return True


def _in_view(window: "MainWindow") -> str:
    return window.screens.key_of(window.screen)


def made_anew(window: "MainWindow") -> None:
    """All screens made again, as another theme or another profile of the display wants it; the job goes on."""
    now, job = _in_view(window), window.job
    deliver = window.screens.made.get("deliver")
    if job is not None and (job.saving or (deliver is not None and deliver.runner.running)):
        QTimer.singleShot(_LATER_MS, lambda: made_anew(window))  # what is being written is not disturbed
        return
    old, window.header = window.header, connected_header(window)
    window.centralWidget().layout().replaceWidget(old, window.header)
    old.deleteLater()
    window.setStyleSheet(style_sheet())
    if job is None:
        window.close_job()
        window.show_start()
    else:
        stage, layer, kept = job.stage_id, job.layer_id, job.journal.path
        window.take(job.session, unsaved=not job.saved, lesson=window.lesson, keep_journal=True)
        window.notice.clear()  # what was said at opening was read
        window.job.rewrite_journal()
        if not window.job.journal.problem:  # else what was written before is all there is
            kept.unlink(missing_ok=True)
        window.job.choose_stage(stage)
        if layer:
            window.job.choose_layer(layer)
    window.show_screen(now)


def on_another_screen(window: "MainWindow") -> None:
    """The window was moved: what is open is shown through the profile of the screen that it is on now."""
    if window.job is not None and settings.display_profile() != window.profile:
        made_anew(window)


def start_again(window: "MainWindow") -> None:
    """Close, and begin anew with what is open; for what is read only once."""
    session = window.job.session if window.job is not None else None
    if window.close():
        opened = session and (session.job_file or session.photo_path)
        window.again = [str(opened)] if opened else []


def _settings_changed(window: "MainWindow", setting_id: str) -> None:
    if setting_id in REBUILT:
        QTimer.singleShot(0, lambda: made_anew(window))  # not from inside the screen that goes


def _keys_changed(window: "MainWindow") -> None:
    window.keys.load()
    window.key_sheet.update()


def add_rooms(window: "MainWindow") -> None:
    """Made anew with every job, as the other screens are."""
    for key, make in (("logbook", _logbook), ("practice", _practice), ("settings", _settings),
                      ("handbook", lambda _: HandbookScreen())):
        window.screens.add(key, lambda make=make: make(window))
    _add_sitting(window)


def _logbook(window: "MainWindow") -> LogbookScreen:
    logbook = LogbookScreen(window.records)
    logbook.job_wanted.connect(window.open_logged)
    return logbook


def _practice(window: "MainWindow") -> PracticeScreen:
    lesson = window.lesson
    practice = PracticeScreen(window.records, window.job if lesson is not None else None, lesson)
    practice.begun.connect(window.open_lesson)
    practice.to_desk.connect(lambda: window.show_screen("desk"))
    return practice


def _settings(window: "MainWindow") -> SettingsScreen:
    chosen = SettingsScreen()
    chosen.changed.connect(lambda setting_id: _settings_changed(window, setting_id))
    chosen.keys_changed.connect(lambda: _keys_changed(window))
    chosen.start_again.connect(lambda: start_again(window))
    return chosen


def _sitting(window: "MainWindow") -> SittingScreen:
    sitting = SittingScreen(window.sitting, window.job)
    sitting.open_wanted.connect(window.open_path)
    return sitting


def _add_sitting(window: "MainWindow") -> None:
    """The sitting's screen, once there is a sitting."""
    there = window.sitting.sitting is not None
    if there and "sitting" not in window.screens:
        window.screens.add("sitting", lambda: _sitting(window))
    window.header.show_sitting(there)


def open_sitting(window: "MainWindow", paths: Sequence[str | Path]) -> bool:
    """A folder of photos, or several of one, as a sitting; beside the job that is open."""
    if not window.sitting.open(paths):
        return False
    _add_sitting(window)
    window.show_screen("sitting")
    return True


def to_sitting(window: "MainWindow") -> None:
    """The sitting; where none is open, its folder is asked for."""
    window.show_screen("sitting") if "sitting" in window.screens else ask_sitting(window)


def ask_sitting(window: "MainWindow") -> None:
    """Ask for the folder."""
    session = window.job.session if window.job is not None else None
    start = session.photo_path.parent if session is not None and session.photo_path is not None else Path.home()
    folder = QFileDialog.getExistingDirectory(window, "The folder with the photos of a sitting", str(start))
    if folder:
        open_sitting(window, [folder])
