"""The open job as the window sees it: every change goes through here, is journalled, and can be undone."""

import logging
from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core import log
from lather.core.deliver.proof_sheet import read_answer, take_answer
from lather.core.errors import ChangedOnDisk, LatherError, SaveError
from lather.core.job.archive import save_job
from lather.core.job.changes import Change, change_between
from lather.core.job.commands import AddLayer, Command
from lather.core.job.history import History
from lather.core.job.identity import JobIdentity
from lather.core.job.model import Job, Layer, Stage, new_id
from lather.core.journal.journal import Journal, step_record
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.stages.info import StageInfo
from lather.core.stages.registry import is_computed, stage_info
from lather.desktop.background import Background

_log = logging.getLogger(__name__)


def as_it_is(session: Session | None) -> Session | None:
    """The job as it is now, with an engine of its own: for a thread that works while the person paints on."""
    return None if session is None else Session(session.photo, History(session.job))


class OpenJob(QObject):
    """`stage_id`: the stage in hand; `layer_id`: its layer that strokes go to. parts: what each stage has on the desk
    (`stages.base.StagePart`): it gives the settings and the fence of a new layer.

    Signals: `changed(Job)` after every step; `stage_changed()` when another stage is taken;
    `state_changed()` when saving begins, ends or fails;
    `problem(sentence)` for the person; `conflict(ChangedOnDisk)` when another window saved the same file meanwhile.
    """

    changed = pyqtSignal(object)
    stage_changed = pyqtSignal()
    state_changed = pyqtSignal()
    problem = pyqtSignal(object)
    conflict = pyqtSignal(object)

    def __init__(self, session: Session, parent=None, *, unsaved: bool = False):
        super().__init__(parent)
        self.session = session
        self.saving = False
        self._photo_changed = False  # on the disk, when it was saved last
        self._saved_job = None if unsaved else session.job
        self._pending: list[dict] = []
        self._journal_told = ""
        self._dragging = False
        self.journal = Journal(
            session.job, job_file=session.job_file, photo_path=session.photo_path, identity=session.identity
        )
        session.history.listener = self._journal_step
        self.stage_id = "mend"
        self.parts: Mapping[str, object] = {}
        self._in_hand: dict[str, str] = {}
        self._came_from: dict[str, str] = {}
        self.layer_id = self._usual_layer(session.job)
        self._background = Background(self)

    @property
    def job(self) -> Job:
        return self.session.job

    def _usual_layer(self, job: Job) -> str:
        layers = job.stage(self.stage_id).layers
        plain = [layer for layer in layers if not layer.soften] or layers
        return plain[-1].id if plain else ""

    @property
    def stage(self) -> Stage:
        """The stage in hand."""
        return self.job.stage(self.stage_id)

    @property
    def info(self) -> StageInfo:
        return stage_info(self.stage_id)

    def choose_stage(self, stage_id: str) -> None:
        """Take another stage in hand, with the layer last in hand there."""
        if stage_id == self.stage_id:
            return
        self._in_hand[self.stage_id] = self.layer_id
        self.stage_id = stage_id
        self.layer_id = self._in_hand.get(stage_id) or self._usual_layer(self.job)
        self.stage_changed.emit()
        self.changed.emit(self.job)

    @property
    def layer(self) -> Layer | None:
        """The layer that strokes go to."""
        layers = self.stage.layers
        return next((x for x in layers if x.id == self.layer_id), layers[-1] if layers else None)

    @property
    def saved(self) -> bool:
        return self.job is self._saved_job

    def state_text(self) -> str:
        if self.saving:
            return "Saving …"
        if self.saved and self.session.job_file:
            return "Saved"
        if self.journal.problem:
            return "Not saved, no journal"
        return "Not saved yet" if self.session.job_file is None else "Changed, journal kept"

    def _journal_step(self, record: dict, strokes: tuple) -> None:
        written = self.journal.append(record, strokes)
        if self.saving:
            self._pending.append(written)
        self.tell_journal()

    def tell_journal(self) -> None:
        """Say once that the journal cannot be written, and that it can again."""
        problem = self.journal.problem
        if problem and not self._journal_told:
            self.problem.emit(phrase("The journal cannot be written (%1): a crash would cost what is not saved. Save "
                                     "the job, and free some space.", problem))
        elif self._journal_told and not problem:
            self.problem.emit("The journal is written again; nothing is missing in it.")
        self._journal_told = problem

    # changes

    def do(self, command: Command, *, merge: bool = False) -> None:
        self.session.history.do(command, merge=merge)
        self._tell()

    def do_dragged(self, command: Command, dragging: bool) -> None:
        """A value that is dragged, or was just let go: the whole drag is one step."""
        self.session.history.do(command, merge=dragging or self._dragging)
        self._dragging = dragging
        if not dragging:
            self.session.history.end_run()
        self._tell()

    def end_drag(self) -> None:
        """What was dragged was let go without another value: the next change is a step of its own."""
        self._dragging = False
        self.session.history.end_run()

    def amend(self, command: Command) -> None:
        """What was measured, put under all steps: nobody's step, so undo does not take it away."""
        saved = self.saved
        self.session.history.amend(command)
        if saved:
            self._saved_job = self.session.job
        self._tell()

    def take_answer(self, path: str | Path) -> str:
        """A client's answer to a proof sheet: keepers, agreements and remarks as one step. Returns what to say of it.

        Raises LatherError where it is none, or belongs to another job.
        """
        taken = take_answer(self.job, read_answer(path))
        self.do(taken.command)
        return taken.said()

    def undo(self) -> Change | None:
        """One step back; what it changed, None if there is no step."""
        return self._step(self.session.history.undo_label, self.session.history.undo)

    def redo(self) -> Change | None:
        return self._step(self.session.history.redo_label, self.session.history.redo)

    def _step(self, label: str | None, step: Callable[[], Job]) -> Change | None:
        if label is None:
            return None
        before = self.job
        change = change_between(before, step(), label)
        self._tell()
        return change

    def show(self, change: Change) -> None:
        """Take in hand where something changed."""
        if change.stage_id and is_computed(change.stage_id):
            self.choose_stage(change.stage_id)
            if any(layer.id == change.layer_id for layer in self.stage.layers):
                self.choose_layer(change.layer_id)

    def add_layer(self, name: str = "", settings: dict | None = None, strength: float = 1.0) -> None:
        """A new layer of the stage in hand, above the one in hand, and in hand itself."""
        part = self.parts.get(self.stage_id)
        made = settings if settings is not None else part.new_layer_settings() if part is not None else {}
        kind = part.new_layer_kind() if part is not None else self.info.kind.id
        layer = Layer(new_id(), name or (part.new_layer_name() if part is not None else self.info.first_layer_name),
                      kind, strength=strength, settings=made,
                      fence=part.new_layer_fence() if part is not None else None)
        at = self.stage.index(self.layer.id) + 1 if self.layer else 0
        self._came_from[layer.id] = self.layer_id
        self.layer_id = layer.id
        self.do(AddLayer(self.stage_id, layer, at))

    def ensure_layer(self) -> Layer:
        """The layer in hand. One is made where there is none, where this version does not know its kind, or where
        another kind was chosen that has none yet.
        """
        part = self.parts.get(self.stage_id)
        proposes = part is not None and part.proposes()
        if proposes or self.layer is None or self.layer.kind not in self.info.kinds:
            self.add_layer()
        return self.layer

    def choose_layer(self, layer_id: str) -> None:
        self.layer_id = layer_id
        self.changed.emit(self.job)

    def _tell(self) -> None:
        held = {layer.id for layer in self.stage.layers}
        while self.layer_id not in held and self.layer_id in self._came_from:  # a new layer was undone
            self.layer_id = self._came_from[self.layer_id]
        if self.layer is not None:
            self.layer_id = self.layer.id
        self.changed.emit(self.job)
        self.state_changed.emit()

    # saving

    def save(self, path: str | Path, *, knowingly: bool = False) -> bool:
        """Save in the background; False if a save is already running.

        knowingly: over whatever is there; else only over the save that was read or written here.
        """
        if self.saving:
            return False
        self.saving = True
        self._pending = []
        snapshot = self.session.snapshot()
        path = Path(path)
        if path.suffix != ".lather":
            path = path.with_name(path.name + ".lather")
        self.state_changed.emit()
        replaces = True if knowingly else self.session.identity if path.resolve() == self.session.job_file else None

        def work(task) -> JobIdentity | LatherError:
            try:
                self.session.refuse_photo(path)
                patches = self.session.stored_patches(snapshot["job"])
                saved = save_job(path, patches=patches, replaces=replaces, **snapshot)
                self._photo_changed = self.session.photo_changed()
                return saved
            except LatherError as error:
                log.expected(_log, error)
                return error
            except Exception as error:
                return SaveError(log.unexpected(
                    _log, error, phrase("The job could not be saved (%1); try another folder.", error)))

        self._background.run("save", work, lambda done: self._after_save(path, snapshot["job"], done),
                             failed=lambda text: self._after_save(path, snapshot["job"], SaveError(text)))
        return True

    def _after_save(self, path: Path, job: Job, outcome: JobIdentity | LatherError) -> None:
        self.saving = False
        if isinstance(outcome, JobIdentity):
            self.session.job_file, self.session.identity = path.resolve(), outcome
            self._saved_job = job
            self.journal.begin(job, job_file=self.session.job_file, photo_path=self.session.photo_path,
                               identity=outcome, records=self._pending)
            self.tell_journal()
            if self._photo_changed:
                self.problem.emit(phrase("Saved. %1 has changed on disk since it was opened; the job keeps it as it "
                                         "was.", self.session.photo_path.name))
        elif isinstance(outcome, ChangedOnDisk):
            self.conflict.emit(outcome)
        else:
            self.problem.emit(outcome.message)
        self._pending = []
        self.state_changed.emit()

    def rewrite_journal(self) -> None:
        """After a recovery: write the recovered steps into this job's own journal, so that they stay safe."""
        history, session = self.session.history, self.session
        steps = [step_record({"step": "do", "at": number, "command": command.to_json()}, command.strokes())
                 for number, command in enumerate(history.commands, 1)]
        self.journal.begin(
            history.base, job_file=session.job_file, photo_path=session.photo_path, identity=session.identity,
            records=[*steps, {"step": "goto", "at": history.position}], whole=True,
        )

    def close(self, *, keep_journal: bool = False) -> None:
        self.session.history.listener = None
        self._background.close()
        self.journal.close(keep=keep_journal)
