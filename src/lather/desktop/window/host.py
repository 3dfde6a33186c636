"""The window as those see it who open something in it, or stand beside it: what they may ask of it."""

from abc import abstractmethod
from pathlib import Path

from PyQt6.QtWidgets import QMainWindow, QWidget

from lather.core.session import Session
from lather.desktop.background import Background
from lather.desktop.input.keys import KeyFilter
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.practice.open_lesson import OpenLesson
from lather.desktop.settings import DisplayProfile
from lather.desktop.sitting.control import SittingControl
from lather.desktop.window.header import Header
from lather.desktop.window.key_sheet import KeySheet
from lather.desktop.window.message_line import MessageLine
from lather.desktop.window.screens import Screens


class Host(QMainWindow):
    """What `MainWindow` is. Whoever is handed one imports this and never the window itself.

    job: what is open, or None. lesson: if it is one. profile: that its pictures are shown through. again: what to
    start anew with, once the window is closed.
    """

    background: Background
    header: Header
    job: OpenJob | None
    key_sheet: KeySheet
    keys: KeyFilter
    lesson: OpenLesson | None
    profile: DisplayProfile | None
    records: Records
    screens: Screens
    sitting: SittingControl
    again: list[str] | None

    @property
    @abstractmethod
    def screen(self) -> QWidget:
        """What is in view."""

    @property
    @abstractmethod
    def notice(self) -> MessageLine:
        """Where it speaks."""

    @abstractmethod
    def say(self, text: str, *, stays: bool = False) -> None:
        """One sentence on the message line; `stays` until it is read, for what went wrong."""

    def warn(self, text: str) -> None:
        """What went wrong, until it is read."""
        self.say(text, stays=True)

    @abstractmethod
    def show_screen(self, key: str) -> None:
        """Bring a screen into view."""

    @abstractmethod
    def show_start(self) -> None:
        """What is there when nothing is open."""

    @abstractmethod
    def ask_open(self) -> None:
        """Ask for a photo or a job, and open it."""

    @abstractmethod
    def open_demo(self) -> None:
        """The demo job; the first time it has to be made, in the background."""

    @abstractmethod
    def open_path(self, path: str | Path) -> bool:
        """Open a photo or a job in place of what is open. Says why if it cannot; then nothing changes."""

    @abstractmethod
    def open_lesson(self, lesson: OpenLesson) -> None:
        """The plate of a lesson on the desk."""

    @abstractmethod
    def open_logged(self, entry) -> None:
        """A job of the logbook (a `LogEntry`), where its file is known."""

    @abstractmethod
    def take(self, session: Session, *, unsaved: bool = False, lesson: OpenLesson | None = None,
             keep_journal: bool = False) -> None:
        """A session in place of what is open. keep_journal: of that one, until what it holds is safe elsewhere."""

    @abstractmethod
    def take_opened(self, session: Session, path: Path) -> bool:
        """A photo or job that was opened, in place of what is open. False where that was to stay."""

    @abstractmethod
    def close_job(self, *, keep_journal: bool = False) -> None:
        """Nothing is open any more; nothing is asked."""

    @abstractmethod
    def may_leave(self) -> bool:
        """Ask about changes that are not in a file. False where the person wants to stay."""

    @abstractmethod
    def save(self, *, another: bool = False) -> bool:
        """Save to the job's file, or ask for one. False if the person did not choose."""

    @abstractmethod
    def toggle_pause(self) -> None:
        """The clock stands still, or goes on."""
