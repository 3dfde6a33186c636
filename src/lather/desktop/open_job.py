"""The open job as the window sees it: every change goes through here, is journalled, and can be undone."""

import threading
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.errors import LatherError
from lather.core.job.archive import save_job
from lather.core.job.commands import AddLayer, Command
from lather.core.job.journal import Journal
from lather.core.job.model import Job, Layer, Stage, new_id
from lather.core.session import Session
from lather.core.stages.registry import StageInfo, stage_info


class OpenJob(QObject):
    """`stage_id`: the stage in hand; `layer_id`: its layer that strokes go to.

    Signals: `changed(Job)` after every step; `stage_changed()` when another stage is taken;
    `state_changed()` when saving begins, ends or fails;
    `problem(sentence)` for the person.
    """

    changed = pyqtSignal(object)
    stage_changed = pyqtSignal()
    state_changed = pyqtSignal()
    problem = pyqtSignal(str)
    _save_ended = pyqtSignal(object, object, object)

    def __init__(self, session: Session, parent=None, *, unsaved: bool = False):
        super().__init__(parent)
        self.session = session
        self.saving = False
        self._saved_job = None if unsaved else session.job
        self._pending: list[dict] = []
        self.journal = self._open_journal()
        session.history.listener = self._journal_step
        self.stage_id = "mend"
        self.new_layer_settings: dict[str, Callable[[], dict]] = {}
        self.new_layer_fence: Callable[[str], object] = lambda stage_id: None
        self._in_hand: dict[str, str] = {}
        self.layer_id = self._usual_layer(session.job)
        self._save_ended.connect(self._after_save)

    def _open_journal(self) -> Journal | None:
        try:
            return Journal(self.session.job, job_file=self.session.job_file, photo_path=self.session.photo_path)
        except (OSError, LatherError) as error:
            self._journal_error = str(error)
            return None

    @property
    def job(self) -> Job:
        return self.session.job

    def _usual_layer(self, job: Job) -> str:
        layers = job.stage(self.stage_id).layers
        plain = [layer for layer in layers if not layer.extra.get("soften")] or layers
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
        if self.journal is None:
            return "Not saved, no journal"
        return "Not saved yet" if self.session.job_file is None else "Changed, journal kept"

    def _journal_step(self, record: dict, strokes: tuple) -> None:
        if self.journal is None:
            return
        try:
            written = self.journal.append(record, strokes)
        except OSError as error:
            self.journal = None
            self.problem.emit(f"The journal cannot be written ({error.strerror}); save the job now.")
            return
        if self.saving:
            self._pending.append(written)

    # changes

    def do(self, command: Command, *, merge: bool = False) -> None:
        self.session.history.do(command, merge=merge)
        self._tell()

    def amend(self, command: Command) -> None:
        """What was measured, put under all steps: nobody's step, so undo does not take it away."""
        saved = self.saved
        self.session.history.amend(command)
        if saved:
            self._saved_job = self.session.job
        self._tell()

    def undo(self) -> None:
        self.session.history.undo()
        self._tell()

    def redo(self) -> None:
        self.session.history.redo()
        self._tell()

    def add_layer(self, name: str = "", settings: dict | None = None, strength: float = 1.0) -> None:
        """A new layer of the stage in hand, above the one in hand, and in hand itself."""
        made = self.new_layer_settings.get(self.stage_id, dict)() if settings is None else settings
        layer = Layer(new_id(), name or self.info.first_layer_name, self.info.layer_kind, strength=strength,
                      settings=made, fence=self.new_layer_fence(self.stage_id))
        at = self.stage.index(self.layer.id) + 1 if self.layer else 0
        self.layer_id = layer.id
        self.do(AddLayer(self.stage_id, layer, at))

    def ensure_layer(self) -> Layer:
        """The layer in hand; the stage's first one is made when it is needed."""
        if self.layer is None:
            self.add_layer()
        return self.layer

    def choose_layer(self, layer_id: str) -> None:
        self.layer_id = layer_id
        self.changed.emit(self.job)

    def _tell(self) -> None:
        if self.layer is not None:
            self.layer_id = self.layer.id
        self.changed.emit(self.job)
        self.state_changed.emit()

    # saving

    def save(self, path: str | Path) -> bool:
        """Save in the background; False if a save is already running."""
        if self.saving:
            return False
        self.saving = True
        self._pending = []
        snapshot = self.session.snapshot()
        path = Path(path)
        if path.suffix != ".lather":
            path = path.with_name(path.name + ".lather")
        self.state_changed.emit()

        def work() -> None:
            try:
                save_job(path, patches=self.session.stored_patches(snapshot["job"]), **snapshot)
                self._save_ended.emit(path, snapshot["job"], None)
            except LatherError as error:
                self._save_ended.emit(path, snapshot["job"], error.message)
            except Exception as error:
                text = f"The job could not be saved ({error}); try another folder."
                self._save_ended.emit(path, snapshot["job"], text)

        threading.Thread(target=work, name="save", daemon=True).start()
        return True

    def _after_save(self, path: Path, job: Job, message: str | None) -> None:
        self.saving = False
        if message is None:
            self.session.job_file = path.resolve()
            self._saved_job = job
            if self.journal is not None:
                try:
                    self.journal.begin(
                        job, job_file=self.session.job_file, photo_path=self.session.photo_path, records=self._pending
                    )
                except (OSError, LatherError) as error:
                    self.problem.emit(f"The journal cannot be written ({error}); save often.")
        else:
            self.problem.emit(message)
        self._pending = []
        self.state_changed.emit()

    def rewrite_journal(self) -> None:
        """After a recovery: write the recovered steps into this job's own journal, so that they stay safe."""
        history = self.session.history
        base, commands, position = history.base, history.commands, history.position
        self.journal.begin(base, job_file=None, photo_path=self.session.photo_path or self.session.job_file)
        for number, command in enumerate(commands, 1):
            self.journal.append({"step": "do", "at": number, "command": command.to_json()}, command.strokes())
        self.journal.append({"step": "goto", "at": position}, ())

    def close(self, *, keep_journal: bool = False) -> None:
        self.session.history.listener = None
        if self.journal is not None:
            self.journal.close(keep=keep_journal)
