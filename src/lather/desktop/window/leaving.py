"""Before an open job is left: changes that are not in a file are asked about."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop

from lather.core.phrases import phrase
from lather.desktop.window.questions import ask

if TYPE_CHECKING:
    from lather.desktop.window.main_window import MainWindow


class Leaving:
    """Asks one question at a time."""

    def __init__(self, window: "MainWindow"):
        self._window = window
        self._asking = False

    def may_leave(self) -> bool:
        """True where nothing is lost, or that is wanted. What was begun before a question came to its end and wants to
        leave as well is told no.
        """
        job = self._window.job
        if job is None or job.saved:
            return True
        if self._asking:
            return False
        self._asking = True
        try:
            answer = ask(self._window, phrase("“%1” has changes that are not saved.", job.job.title),
                         {"save": "Save", "leave": "Leave without saving", "stay": "Stay"}, otherwise="stay")
            return answer == "leave" or (answer == "save" and self._save_and_wait())
        finally:
            self._asking = False

    def _save_and_wait(self) -> bool:
        if not self._window.save():
            return False
        job, loop = self._window.job, QEventLoop()
        job.state_changed.connect(lambda: None if job.saving else loop.quit())
        if job.saving:
            loop.exec()
        return job.saved
