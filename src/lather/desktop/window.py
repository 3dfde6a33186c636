"""The one window: header, screens, notices. Assembly only."""

import threading
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from lather.core.errors import LatherError
from lather.core.job.journal import Leftover, leftovers
from lather.core.job.model import STAGE_IDS
from lather.core.memory import give_back_memory
from lather.core.practice.demo import demo_job_path
from lather.core.session import Session
from lather.core.threads import BACKGROUND
from lather.desktop import settings
from lather.desktop.input.keys import KeyFilter
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.header import Header
from lather.desktop.panels.key_sheet import KeySheet
from lather.desktop.screens.deliver import DeliverScreen
from lather.desktop.screens.desk import DeskScreen
from lather.desktop.screens.review import ReviewScreen
from lather.desktop.screens.start import StartScreen
from lather.desktop.theme.style import style_sheet

_NOTICE_MS = 7000
_FREED_AFTER_MS = 1000
_FILTER = "Photos and jobs (*.jpg *.jpeg *.png *.tif *.tiff *.webp *.lather)"


class MainWindow(QMainWindow):
    """`opened(OpenJob)` after a photo or job came up."""

    opened = pyqtSignal(object)
    _demo_made = pyqtSignal(object, str)

    def __init__(self):
        super().__init__()
        self.setAccessibleName("Lather")
        self.setStyleSheet(style_sheet())
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.job: OpenJob | None = None
        self.header = Header()
        self.notice = QLabel()
        self.notice.setWordWrap(True)
        self.stack = QStackedWidget()
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self._notice_bar())
        column.addWidget(self.stack, 1)
        self.setCentralWidget(body)
        self.screens: dict[str, QWidget] = {}
        self.key_sheet = KeySheet(body)
        self.keys = KeyFilter(self)
        self.keys.pressed.connect(self._key_pressed)
        self.keys.released.connect(self._key_released)
        self.header.screen_chosen.connect(self.show_screen)
        self.header.open_asked.connect(self.ask_open)
        self._demo_made.connect(self._open_demo_file)
        self.header.demo_asked.connect(self.open_demo)
        self.header.path_chosen.connect(self.open_path)
        self.header.save_asked.connect(self.save)
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self._notice_frame.hide)
        self._show_start()

    def _notice_bar(self) -> QWidget:
        self._notice_frame = QWidget()
        self._notice_frame.setObjectName("panel")
        row = QHBoxLayout(self._notice_frame)
        row.setContentsMargins(14, 5, 14, 5)
        row.addWidget(self.notice, 1)
        self._notice_frame.hide()
        return self._notice_frame

    def say(self, text: str) -> None:
        """One sentence under the header, for a while."""
        if not text:
            return
        self.notice.setText(text)
        self._notice_frame.show()
        self._notice_timer.start(_NOTICE_MS)

    # opening

    def _show_start(self) -> None:
        start = StartScreen(settings.recent_files(), leftovers())
        start.open_asked.connect(self.ask_open)
        start.demo_asked.connect(self.open_demo)
        start.path_chosen.connect(self.open_path)
        start.recover.connect(self.recover)
        start.discard.connect(lambda leftover: leftover.discard())
        self.screens["start"] = start
        self.stack.addWidget(start)
        self.stack.setCurrentWidget(start)
        self._show_state()

    def ask_open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a photo or a job", "", _FILTER)
        if path:
            self.open_path(path)

    def open_demo(self) -> None:
        """The demo job; the first time it has to be made, in the background."""
        self.say("Preparing the demo job; the first time this takes a few seconds.")

        def work() -> None:
            try:
                self._demo_made.emit(demo_job_path(), "")
            except LatherError as error:
                self._demo_made.emit(None, error.message)

        threading.Thread(target=work, name="demo", daemon=True).start()

    def _open_demo_file(self, path: Path | None, message: str) -> None:
        self._notice_frame.hide()
        try:
            session = Session.open(path) if path else None
        except LatherError as error:
            message = error.message
        if message:
            self.say(message)
        elif self._may_leave():
            session.job_file, session.photo_path = None, path  # the demo itself stays as it is
            self._take(session)

    def open_path(self, path: str | Path) -> bool:
        """Open a photo or a job in place of what is open. Says why if it cannot; then nothing changes."""
        try:
            session = Session.open(path)
        except LatherError as error:
            self.say(error.message)
            return False
        if not self._may_leave():
            return False
        self._take(session)
        settings.remember(Path(path).resolve())
        return True

    def recover(self, leftover: Leftover) -> bool:
        """Go on with work that a crash left."""
        try:
            base = leftover.job_file or leftover.photo
            if base is None:
                raise LatherError("The photo of this work is not known any more; it cannot be brought back.")
            session = Session.open(base)
            history = leftover.replay(session.history if leftover.job_file else None)
            if history.job.source.sha256 != session.photo.sha256:
                raise LatherError(f"{base.name} is not the photo this work was made on; put the right one back first.")
            session.history = history
        except LatherError as error:
            self.say(error.message)
            return False
        if not self._may_leave():
            return False
        self._take(session, unsaved=True)
        if self.job.journal is not None:
            self.job.rewrite_journal()
            leftover.discard()
        self.say(f"Brought back {leftover.steps} steps. Save the job to keep them.")
        return True

    def _take(self, session: Session, *, unsaved: bool = False) -> None:
        self._close_job()
        self.job = OpenJob(session, self, unsaved=unsaved)
        self.job.changed.connect(lambda _: self._show_state())
        self.job.state_changed.connect(self._show_state)
        self.job.problem.connect(self.say)
        for key, kind in (("desk", DeskScreen), ("review", ReviewScreen), ("deliver", DeliverScreen)):
            screen = kind(self.job)
            screen.message.connect(self.say)
            self.screens[key] = screen
            self.stack.addWidget(screen)
        self.show_screen("desk")
        self._show_state()
        for note in session.notes:
            self.say(note)
        self.opened.emit(self.job)

    def _close_job(self, *, keep_journal: bool = False) -> None:
        for screen in self.screens.values():
            if hasattr(screen, "close_job"):
                screen.close_job()
            self.stack.removeWidget(screen)
            screen.hide()
            screen.deleteLater()
        self.screens = {}
        if self.job is not None:
            self.job.close(keep_journal=keep_journal)
            self.job.deleteLater()
            self.job = None
            QTimer.singleShot(_FREED_AFTER_MS, lambda: BACKGROUND.submit(give_back_memory))  # the screens are gone then

    def _may_leave(self) -> bool:
        """Ask about changes that are not in a file; the journal keeps nothing after a willing close."""
        if self.job is None or self.job.saved:
            return True
        box = QMessageBox(self)
        box.setText(f"“{self.job.job.title}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        leave = box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is leave:
            return True
        if box.clickedButton() is save:
            return self._save_and_wait()
        return False

    def _save_and_wait(self) -> bool:
        if not self.save():
            return False
        loop = QEventLoop()
        self.job.state_changed.connect(lambda: None if self.job.saving else loop.quit())
        if self.job.saving:
            loop.exec()
        return self.job.saved

    # screens and saving

    def show_screen(self, key: str) -> None:
        if key in self.screens:
            self.stack.setCurrentWidget(self.screens[key])
            self.header.show_screen(key)
            canvas = getattr(self.screens[key], "canvas", None)
            (canvas or self.screens[key]).setFocus()

    @property
    def screen(self) -> QWidget:
        return self.stack.currentWidget()

    def _show_state(self) -> None:
        if self.job is None:
            self.header.show_job("", "", "")
            self.setWindowTitle("Lather")
            return
        job = self.job.job
        subtitle = " · ".join(str(job.brief[k]) for k in ("frame", "kind") if job.brief.get(k))
        self.header.show_job(job.title, subtitle, self.job.state_text())
        self.setWindowTitle(f"{'' if self.job.saved else '• '}{job.title} – Lather")

    def save(self, *, another: bool = False) -> bool:
        """Save to the job's file, or ask for one. False if the person did not choose."""
        if self.job is None:
            return False
        path = self.job.session.job_file
        if path is None or another:
            start = self.job.session.photo_path or Path.home() / self.job.session.photo.name
            if start.suffix == ".lather":  # the demo
                start = Path.home() / start.name
            suggested = path or start.with_suffix(".lather")
            chosen, _ = QFileDialog.getSaveFileName(self, "Save the job", str(suggested), "Lather jobs (*.lather)")
            if not chosen:
                return False
            path = Path(chosen)
        saving = self.job.save(path)
        if saving:
            settings.remember(path.resolve())
        return saving

    # keys, drops, closing

    def _key_pressed(self, action: str) -> None:
        plain = {"open": self.ask_open, "deliver": lambda: self.show_screen("deliver"),
                 "key_sheet": self.key_sheet.lay_over}
        if action in plain:
            plain[action]()
        elif self.job is None:
            return
        elif action.startswith("stage_"):
            self.job.choose_stage(STAGE_IDS[int(action[6:]) - 1])
            self.show_screen("desk")
        elif action.startswith("undo"):
            self.job.undo()
        elif action.startswith("redo"):
            self.job.redo()
        elif action in ("save", "save_as"):
            self.save(another=action == "save_as")
        else:
            self.screen.press(action)

    def _key_released(self, action: str) -> None:
        if action == "key_sheet":
            self.key_sheet.hide()
        elif self.job is not None:
            self.screen.release(action)

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls() and event.mimeData().urls()[0].isLocalFile():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        event.acceptProposedAction()
        self.open_path(event.mimeData().urls()[0].toLocalFile())

    def closeEvent(self, event) -> None:
        if self._may_leave():
            self._close_job()
            event.accept()
        else:
            event.ignore()
