"""The one window: header, screens, messages. Assembly only."""

import logging
from pathlib import Path

from PyQt6.QtCore import QCoreApplication, QEventLoop, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QStackedWidget, QVBoxLayout, QWidget

from lather.core import log
from lather.core.deliver.proof_sheet import is_answer
from lather.core.errors import ChangedOnDisk, LatherError, RequestError
from lather.core.gauges.pull_back import acting_layers
from lather.core.imageio.extra import is_extra
from lather.core.imageio.files import is_folder
from lather.core.job.model import STAGE_IDS
from lather.core.journal.journal import Leftover, leftovers, leftovers_of
from lather.core.journal.recovery import recover
from lather.core.memory import give_back_memory
from lather.core.phrases import GENERAL, Typed, as_words, joined, phrase
from lather.core.practice.demo import demo_folder
from lather.core.record.entries import LogEntry
from lather.core.session import Session
from lather.core.stages.registry import is_computed
from lather.core.threads import BACKGROUND
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.controls.beside.judging import Judging
from lather.desktop.controls.beside.planning import Planning
from lather.desktop.controls.beside.timekeeping import REST, Timekeeping
from lather.desktop.input.keys import KeyFilter, keyed
from lather.desktop.logbook.records import Records
from lather.desktop.opening.demo import open_demo
from lather.desktop.opening.developing import ENDINGS_SHOWN, open_extra
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.opening.reading import read_beside
from lather.desktop.practice.open_lesson import OpenLesson
from lather.desktop.screens.brief import BriefScreen
from lather.desktop.screens.deliver import DeliverScreen
from lather.desktop.screens.desk import DeskScreen
from lather.desktop.screens.review import ReviewScreen
from lather.desktop.screens.start import StartScreen
from lather.desktop.sitting.control import SittingControl
from lather.desktop.texts import tr
from lather.desktop.theme.style import style_sheet
from lather.desktop.window import placement
from lather.desktop.window.fault_report import copy_report
from lather.desktop.window.host import Host
from lather.desktop.window.key_sheet import KeySheet
from lather.desktop.window.leaving import Leaving
from lather.desktop.window.message_line import MessageLine
from lather.desktop.window.questions import ask_conflict, ask_leftover
from lather.desktop.window.rooms import SCREEN_KEYS, Rooms
from lather.desktop.window.screens import Screens

_log = logging.getLogger(__name__)
_FREED_AFTER_MS = 1000
_FILTER = phrase("Photos and jobs (%1 *.lather)", ENDINGS_SHOWN)


class MainWindow(Host):
    """`opened(OpenJob)` after a photo or job came up. again: what to start anew with, once it is closed."""

    opened = pyqtSignal(object)

    def __init__(self):
        super().__init__()
        self.setAccessibleName("Lather")
        self.setStyleSheet(style_sheet())
        self.setAcceptDrops(True)
        placement.place(self)
        self.job: OpenJob | None = None
        self.planning: Planning | None = None
        self.time: Timekeeping | None = None
        self.judging: Judging | None = None
        self.records = Records(self)
        self.records.problem.connect(self.warn)
        self.background = Background(self)
        self.sitting = SittingControl(self)
        self.sitting.message.connect(self.say)
        self.again: list[str] | None = None
        self._watched = False
        self.rooms, self._leaving = Rooms(self), Leaving(self)
        self.header = self.rooms.connected_header()
        self.stack = QStackedWidget()
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.stack, 1)
        self.setCentralWidget(body)
        self.screens = Screens(self.stack, self.say, lambda: copy_report(self), self._hear)
        self.lesson: OpenLesson | None = None
        self.profile: settings.DisplayProfile | None = None  # that the pictures are shown through
        self._unseen = MessageLine(self)  # between two jobs there is no screen
        self._unseen.hide()
        self.key_sheet = KeySheet(body)
        self.keys = KeyFilter(self)
        self.keys.pressed.connect(self._key_pressed)
        self.keys.released.connect(self._key_released)
        self.show_start()

    @property
    def notice(self) -> MessageLine:
        return self.screen.messages if self.screen is not None else self._unseen

    def say(self, text: str, *, stays: bool = False) -> None:
        """One sentence on the message line; `stays` until it is read, for what went wrong."""
        if text:
            self.notice.show_message(text, stays=stays)

    # opening

    def show_start(self) -> None:
        self.screens.add("start", self._make_start)
        self.lesson = None
        self.rooms.add()
        self.stack.setCurrentWidget(self.screens["start"])
        self.screens["start"].setFocus()
        self.show_state()

    def _make_start(self) -> StartScreen:
        start = StartScreen(settings.recent_files(), leftovers())
        start.open_asked.connect(self.ask_open)
        start.demo_asked.connect(self.open_demo)
        start.help_asked.connect(lambda: self.rooms.show("handbook"))
        start.path_chosen.connect(self.open_path)
        start.recover.connect(self.recover)
        start.discard.connect(lambda leftover: leftover.discard())
        return start

    def ask_open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a photo or a job", settings.value("photos_folder"), _FILTER)
        if path:
            self.open_path(path)

    def open_demo(self) -> None:
        """The demo job; the first time it has to be made, in the background."""
        open_demo(self)

    def open_path(self, path: str | Path) -> bool:
        """Open a photo or a job in place of what is open. Says why if it cannot; then nothing changes."""
        path = Path(path)
        if is_folder(path):
            return self.rooms.open_sitting([path])
        for leftover in leftovers_of(path):
            answer = ask_leftover(self, leftover)
            if answer == "back":
                return self.recover(leftover)
            if answer == "stay":
                return False
            if answer == "discard":
                leftover.discard()
        if is_extra(path):
            return open_extra(self, path)
        brief = settings.new_brief()
        session = read_beside(self, path.name, lambda: Session.open(path, brief=brief))
        return session is not None and self.take_opened(session, path)

    def take_opened(self, session: Session, path: Path) -> bool:
        """A photo or job that was opened, in place of what is open. False where that was to stay."""
        if not self.may_leave():
            return False
        is_new = session.job_file is None
        if demo_folder() == path.resolve().parent:  # the demo itself stays as it is
            session.job_file, session.identity, session.photo_path = None, None, path.resolve()
        else:
            settings.remember(path.resolve())
        self.take(session)
        if is_new:  # a photo: first the sheet
            self.show_screen("brief")
        return True

    def recover(self, leftover: Leftover) -> bool:
        """Go on with work that a crash left."""
        session = read_beside(self, leftover.title, lambda: recover(leftover))
        if session is None:
            return False
        if not self.may_leave():
            leftover.release()
            return False
        self.take(session, unsaved=True)
        self.job.rewrite_journal()
        if self.job.journal.problem:
            leftover.release()
        else:
            leftover.discard()
        steps = phrase("Brought back %n steps. Save the job to keep them.", n=leftover.steps,
                       one="Brought back %n step. Save the job to keep them.")
        self.say(joined([steps, *session.notes]), stays=bool(session.notes))
        return True

    def take(self, session: Session, *, unsaved: bool = False, lesson: OpenLesson | None = None,
             keep_journal: bool = False) -> None:
        """A session in place of what is open. keep_journal: of that one, until what it holds is safe elsewhere."""
        self.close_job(keep_journal=keep_journal)
        self.job = OpenJob(session, self, unsaved=unsaved)
        self.job.changed.connect(lambda _: self.show_state())
        self.job.state_changed.connect(self.show_state)
        self.job.problem.connect(self.warn)
        self.job.conflict.connect(self._ask_conflict)
        self.time = Timekeeping(self.job, self.records, self, self)
        self.time.changed.connect(self.show_time)
        for screen in self.screens.made.values():
            self._hear(screen)
        self.time.rest_due.connect(lambda: self.say(REST))
        desk = DeskScreen(self.job)
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)  # it takes a while to make
        self.planning = Planning(self.job, desk.measured, self.records, self)
        self.planning.message.connect(self.say)
        self.planning.changed.connect(self.show_time)
        self.judging = Judging(self.job, desk.measured, self)
        self.judging.message.connect(self.say)
        self.judging.judged.connect(self._show_worst)
        self.screens.add("desk", lambda: desk)
        self.screens.add("brief", self._make_brief)
        self.screens.add("review", lambda: ReviewScreen(self.job, self.judging, self.records))
        self.screens.add("deliver", self._make_deliver)
        self.lesson, self.profile = lesson, settings.display_profile()
        self.rooms.add()
        self.show_screen("desk")
        desk.settling.begin()
        self.show_time()
        self.show_state()
        self.job.tell_journal()
        if session.notes:  # after the journal's word, which comes again with the next step that is not written
            self.warn(joined(session.notes))
        self.opened.emit(self.job)

    def _make_brief(self) -> BriefScreen:
        brief = BriefScreen(self.job, self.screens["desk"].found.looking, self.planning)
        brief.to_desk.connect(self._from_brief)
        return brief

    def _make_deliver(self) -> DeliverScreen:
        deliver = DeliverScreen(self.job, self.records, self.planning, self.time, self.judging)
        deliver.asking.review_wanted.connect(lambda: self.show_screen("review"))
        return deliver

    def open_lesson(self, lesson: OpenLesson) -> None:
        """The plate of a lesson on the desk, in the stage that it is about."""
        if not self.may_leave():
            return
        self.take(lesson.session, lesson=lesson)
        self.job.choose_stage(lesson.lesson.stage)
        done = keyed("When you are done, go to Practice ({practice}) and have it scored.")
        self.say(f"{lesson.lesson.words} {done}")

    def open_logged(self, entry: LogEntry) -> None:
        """Open a job of the logbook, where its file is known."""
        if self.job is not None and entry.job_id == self.job.job.id:
            self.show_screen("desk")
            return
        path = settings.file_of_job(entry.job_id)
        if path is None:
            self.say(phrase("“%1” was not saved on this machine, or its file has moved; open it by Open.", entry.title))
        else:
            self.open_path(path)

    def close_job(self, *, keep_journal: bool = False) -> None:
        if self.job is not None:
            if self.planning is not None and (self.time.total_s or self.job.job.edit_count):
                self.planning.note()
            for part in (self.time, self.planning, self.judging):
                if part is not None:  # an interrupt may come while a job is being opened
                    part.close()
        self.screens.clear()
        if self.job is not None:
            self.job.close(keep_journal=keep_journal)
            for part in (self.job, self.time, self.planning, self.judging):
                if part is not None:
                    part.deleteLater()
            self.job = self.time = self.planning = self.judging = None
            QTimer.singleShot(_FREED_AFTER_MS, lambda: BACKGROUND.submit(give_back_memory))  # the screens are gone then

    def may_leave(self) -> bool:
        """Ask about changes that are not in a file; the journal keeps nothing after a willing close."""
        return self._leaving.may_leave()

    # screens and saving

    def show_screen(self, key: str) -> None:
        if key not in self.screens:
            return
        said = self.stack.currentWidget()
        said = said.messages if said is not None and said.messages.stays else None
        self.stack.setCurrentWidget(self.screens[key])
        if said is not None and said is not self.notice:  # what is to be read goes along
            self.notice.show_message(said.message, stays=said.stays)
            said.clear()
        self.header.show_screen(key)
        if self.time is not None:
            self.time.show_screen(key)
        canvas = getattr(self.screens[key], "canvas", None)
        (canvas or self.screens[key]).setFocus()

    @property
    def screen(self) -> QWidget:
        return self.stack.currentWidget()

    def show_state(self) -> None:
        if self.job is None:
            self.header.show_job("", "", "")
            self.setWindowTitle(tr("Lather"))
            return
        job = self.job.job
        typed, kind = Typed(job.brief.get("frame") or ""), as_words(str(job.brief.get("kind") or ""), GENERAL)
        subtitle = joined([typed, kind], " · ")
        self.header.show_job(job.title, subtitle, self.job.state_text())
        self.setWindowTitle(tr("%1%2 – Lather", "" if self.job.saved else "• ", job.title))

    # time

    def show_time(self) -> None:
        if self.job is None:
            return
        plan = self.planning.plan
        self.header.show_time(self.time.total_s, None if plan is None else plan.allowed_seconds or plan.seconds,
                              self.time.paused)
        planned = {row.stage_id: row.seconds if row.do else 0 for row in plan.rows} if plan is not None else {}
        self.screens["desk"].course.show_time(self.time.seconds, planned,
                                              {row.stage_id for row in plan.rows if not row.do} if plan else set())

    def _show_worst(self) -> None:
        """The gauge that is furthest over its limit, named in the course strip where it is caused."""
        over = self.judging.over
        acting = {stage_id for stage_id, _ in acting_layers(self.job.job)}
        worst = over[0] if over else None
        caused_in = [stage for stage in (worst.gauge.stages or STAGE_IDS) if stage in acting] if worst else []
        text = phrase("%1 %2 · %3", worst.gauge.label, worst.text, worst.state) if worst else ""
        self.screens["desk"].course.show_worst(caused_in[-1] if caused_in else "", text)

    def toggle_pause(self) -> None:
        if self.time is not None:
            self.say("The clock is paused; {pause} goes on." if self.time.toggle_pause() else "The clock goes on.")

    def _from_brief(self) -> None:
        self.planning.note()
        if self.planning.plan is not None:
            self.screens["desk"].take_plan(self.planning.plan)
        self.show_screen("desk")

    def save(self, *, another: bool = False) -> bool:
        """Save to the job's file, or ask for one. False if the person did not choose."""
        if self.job is None:
            return False
        path = self.job.session.job_file
        frame = self.sitting.holds(self.job.session.photo_path)
        if path is None and frame and not another:  # kept with the others of its sitting
            path = self.sitting.job_file(frame)
        if path is None or another:
            chosen, _ = QFileDialog.getSaveFileName(
                self, "Save the job", str(path or settings.new_job_file(self.job.session)), "Lather jobs (*.lather)",
                options=QFileDialog.Option.DontConfirmOverwrite,  # asked when saving, with what is there
            )
            if not chosen:
                return False
            path = Path(chosen)
        return self._save_to(path)

    def _save_to(self, path: Path, *, knowingly: bool = False) -> bool:
        self.time.write()
        saving = self.job.save(path, knowingly=knowingly)
        if saving:
            settings.remember(path.resolve(), self.job.job.id)
        return saving

    def _ask_conflict(self, error: ChangedOnDisk) -> None:
        """Another save lies where this one was to go: neither is lost without being asked."""
        answer = ask_conflict(self, error)
        if answer == "another":
            self.save(another=True)
        elif answer == "replace":
            self._save_to(error.path, knowingly=True)

    # keys, drops, closing

    def _key_pressed(self, action: str) -> None:
        plain = {"open": self.ask_open, "key_sheet": self.key_sheet.lay_over, "quit": self.close,
                 "sitting": self.rooms.to_sitting, "pause": self.toggle_pause}
        if action in SCREEN_KEYS:
            self.rooms.show(action)
        elif action in plain:
            plain[action]()
        elif action == "back" and self.rooms.leave():
            pass
        elif self.job is None:
            if action == "back":
                self.show_screen("start")
            else:
                self.screen.press(action)
        elif action.startswith("stage_"):
            self._go_to_stage(STAGE_IDS[int(action.removeprefix("stage_")) - 1])
        elif action.startswith(("undo", "redo")):
            self._step_in_history(forward=action.startswith("redo"))
        elif action == "back" and self.screen is not self.screens["desk"]:
            self.show_screen("desk")
        elif action in ("save", "save_as"):
            self.save(another=action == "save_as")
        else:
            self.screen.press(action)

    def _go_to_stage(self, stage_id: str) -> None:
        if is_computed(stage_id):
            self.job.choose_stage(stage_id)
            self.show_screen("desk")
        else:
            self.say(phrase("The stage %1 is not part of this version yet.", stage_id.capitalize()))

    def _step_in_history(self, *, forward: bool) -> None:
        """Undo or redo, name what was changed, and show it, whatever stage it is in."""
        done = self.job.redo() if forward else self.job.undo()
        if done is None:
            self.say("There is nothing to redo." if forward else "There is nothing to undo.")
            return
        self.screens["desk"].show_change(done)
        self.say(phrase("Redone: %1.", done.label) if forward else phrase("Undone: %1.", done.label))

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
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if is_answer(paths[0]):
            self.take_answer(paths[0])
        elif len(paths) > 1:
            self.rooms.open_sitting(paths)
        else:
            self.open_path(paths[0])

    def take_answer(self, path: Path) -> bool:
        """A client's answer to a proof sheet: keepers, agreements and remarks, as one step. False where it is none."""
        try:
            if self.job is None:
                raise RequestError("Open the job that this answer belongs to, then drop the answer again.")
            self.say(self.job.take_answer(path))
        except LatherError as error:
            self.warn(log.expected(_log, error))
            return False
        return True

    def showEvent(self, event) -> None:
        super().showEvent(event)
        if not self._watched:  # Qt makes the handle with the first showing
            self._watched = True
            self.windowHandle().screenChanged.connect(lambda _: self.rooms.moved_to_another_display())
            placement.fit_later(self)

    def _hear(self, screen: QWidget) -> None:
        """Keys and time are heard on a screen and on its photo, whatever has the focus."""
        for heard in (self.keys, self.time):
            for target in (screen, getattr(screen, "canvas", None)) if heard is not None else ():
                heard.watch(target)

    def stop(self) -> None:
        """Close without asking; the journal stays, so that what was not saved is offered at the next start."""
        self.close_job(keep_journal=True)
        self.close()

    def closeEvent(self, event) -> None:
        if self.may_leave():
            placement.keep(self)
            self.close_job()
            self.sitting.close()
            self.records.close()
            event.accept()
        else:
            event.ignore()
