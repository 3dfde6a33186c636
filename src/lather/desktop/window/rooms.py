"""What is there without a job as well: the logbook, the practice room, the sitting, the settings, the handbook."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFileDialog

from lather.desktop import settings
from lather.desktop.handbook.screen import HandbookScreen
from lather.desktop.opening.replaying import ask_developed
from lather.desktop.screens.logbook import LogbookScreen
from lather.desktop.screens.practice import PracticeScreen
from lather.desktop.screens.settings import REBUILT, SettingsScreen
from lather.desktop.screens.sitting import SittingScreen
from lather.desktop.theme.style import style_sheet
from lather.desktop.window.header import Header
from lather.desktop.window.host import Host

SCREEN_KEYS = ("desk", "review", "deliver", "brief", "logbook", "practice", "settings", "handbook")
"""Screens that a key of their own goes to."""
_LATER_MS = 100
_ASIDE = ("settings", "handbook")  # looked into and left again


class Rooms:
    """The rooms of a window: made, gone to, left, and made anew where what is on all screens changes."""

    def __init__(self, window: Host):
        self._window = window
        self._came_from = ""  # the screen to go back to from one that was only looked into

    def connected_header(self) -> Header:
        """The top line, with what its buttons do in the window."""
        header, window = Header(), self._window
        header.screen_chosen.connect(self.show)
        header.open_asked.connect(window.ask_open)
        header.demo_asked.connect(window.open_demo)
        header.path_chosen.connect(window.open_path)
        header.sitting_asked.connect(self.ask_sitting)
        header.developed_asked.connect(lambda: ask_developed(window))
        header.save_asked.connect(window.save)
        header.save_as_asked.connect(lambda: window.save(another=True))
        header.pause_asked.connect(window.toggle_pause)
        return header

    def show(self, key: str) -> None:
        """A screen; the handbook opens at what is in view, and the same key leaves it again."""
        window, now = self._window, self._in_view
        if key in _ASIDE and key == now:
            self.leave()
            return
        if key == "handbook" and key in window.screens:
            stage = window.job.stage_id if window.job is not None and now == "desk" else ""
            window.screens[key].turn_to(now, stage)
        if key in _ASIDE and now not in _ASIDE:
            self._came_from = now
        window.show_screen(key)

    def leave(self) -> bool:
        """Back from the settings or the handbook to where one came from. False where neither is in view."""
        window = self._window
        if self._in_view not in _ASIDE:
            return False
        known = self._came_from in window.screens
        window.show_screen(self._came_from if known else "desk" if window.job is not None else "start")
        return True

    @property
    def _in_view(self) -> str:
        return self._window.screens.key_of(self._window.screen)

    def make_anew(self) -> None:
        """All screens made again, as another theme or another profile of the display wants it; the job goes on."""
        window, now = self._window, self._in_view
        job, deliver = window.job, window.screens.made.get("deliver")
        if job is not None and (job.saving or (deliver is not None and deliver.runner.running)):
            QTimer.singleShot(_LATER_MS, self.make_anew)  # what is being written is not disturbed
            return
        old, window.header = window.header, self.connected_header()
        window.centralWidget().layout().replaceWidget(old, window.header)
        old.deleteLater()
        window.setStyleSheet(style_sheet())
        if job is None:
            window.close_job()
            window.show_start()
        else:
            self._take_again(job)
        window.show_screen(now)

    def _take_again(self, job) -> None:
        """The same job on new screens, where it stood."""
        window = self._window
        stage, layer, kept = job.stage_id, job.layer_id, job.journal.path
        window.take(job.session, unsaved=not job.saved, lesson=window.lesson, keep_journal=True)
        window.notice.clear()  # what was said at opening was read
        window.job.rewrite_journal()
        if not window.job.journal.problem:  # else what was written before is all there is
            kept.unlink(missing_ok=True)
        window.job.choose_stage(stage)
        if layer:
            window.job.choose_layer(layer)

    def moved_to_another_display(self) -> None:
        """What is open is shown through the profile of the display that the window is on now."""
        if self._window.job is not None and settings.display_profile() != self._window.profile:
            self.make_anew()

    def start_again(self) -> None:
        """Close, and begin anew with what is open; for what is read only once."""
        window = self._window
        session = window.job.session if window.job is not None else None
        if window.close():
            opened = session and (session.job_file or session.photo_path)
            window.again = [str(opened)] if opened else []

    def _settings_changed(self, setting_id: str) -> None:
        if setting_id in REBUILT:
            QTimer.singleShot(0, self.make_anew)  # not from inside the screen that goes

    def _keys_changed(self) -> None:
        self._window.keys.load()
        self._window.key_sheet.update()

    def add(self) -> None:
        """Made anew with every job, as the other screens are."""
        for key, make in (("logbook", self._logbook), ("practice", self._practice), ("settings", self._settings),
                          ("handbook", HandbookScreen)):
            self._window.screens.add(key, make)
        self._add_sitting()

    def _logbook(self) -> LogbookScreen:
        logbook = LogbookScreen(self._window.records)
        logbook.job_wanted.connect(self._window.open_logged)
        return logbook

    def _practice(self) -> PracticeScreen:
        window = self._window
        lesson = window.lesson
        practice = PracticeScreen(window.records, window.job if lesson is not None else None, lesson)
        practice.begun.connect(window.open_lesson)
        practice.to_desk.connect(lambda: window.show_screen("desk"))
        return practice

    def _settings(self) -> SettingsScreen:
        chosen = SettingsScreen()
        chosen.changed.connect(self._settings_changed)
        chosen.keys_changed.connect(self._keys_changed)
        chosen.start_again.connect(self.start_again)
        return chosen

    def _sitting(self) -> SittingScreen:
        sitting = SittingScreen(self._window.sitting, self._window.job)
        sitting.open_wanted.connect(self._window.open_path)
        return sitting

    def _add_sitting(self) -> None:
        """The sitting's screen, once there is a sitting."""
        window = self._window
        there = window.sitting.sitting is not None
        if there and "sitting" not in window.screens:
            window.screens.add("sitting", self._sitting)
        window.header.show_sitting(there)

    def open_sitting(self, paths: Sequence[str | Path]) -> bool:
        """A folder of photos, or several of one, as a sitting; beside the job that is open."""
        if not self._window.sitting.open(paths):
            return False
        self._add_sitting()
        self._window.show_screen("sitting")
        return True

    def to_sitting(self) -> None:
        """The sitting; where none is open, its folder is asked for."""
        self._window.show_screen("sitting") if "sitting" in self._window.screens else self.ask_sitting()

    def ask_sitting(self) -> None:
        """Ask for the folder."""
        session = self._window.job.session if self._window.job is not None else None
        start = session.photo_path.parent if session is not None and session.photo_path is not None else Path.home()
        folder = QFileDialog.getExistingDirectory(self._window, "The folder with the photos of a sitting", str(start))
        if folder:
            self.open_sitting([folder])
