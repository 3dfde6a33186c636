"""Undo and redo without limit: the list of jobs from the first to the last, and where in it we are."""

from collections.abc import Callable

from lather.core.job.commands import Command, command_from_json, merges
from lather.core.job.model import Job

_NEAR, _MILESTONE = 64, 128


class History:
    """Commands done to a job. `listener(record)` hears of every step, for the journal.

    Of the jobs on the way only those near to where we are, and one in so many, are held: each holds the whole list of
    its edits, and thousands of them would fill the memory. The others are made anew by doing the commands again.
    """

    def __init__(self, base: Job, listener: Callable[[dict, tuple], None] | None = None):
        self._jobs: dict[int, Job] = {0: base}
        self._commands: list[Command] = []
        self._position = 0
        self._open_merge = False
        self.listener = listener

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._job_at(self._position)

    def job_at(self, position: int) -> Job:
        """The job as it was after so many steps."""
        return self._job_at(max(0, min(position, len(self._commands))))

    @property
    def base(self) -> Job:
        """The job before the first step."""
        return self._jobs[0]

    @property
    def commands(self) -> tuple[Command, ...]:
        """All steps, those that were undone too."""
        return tuple(self._commands)

    @property
    def position(self) -> int:
        """How many of the steps are done."""
        return self._position

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self._commands[self._position - 1].label if self._position else None

    @property
    def redo_label(self) -> str | None:
        """What redo would do again, or None."""
        return self._commands[self._position].label if self._position < len(self._commands) else None

    def do(self, command: Command, *, merge: bool = False) -> Job:
        """Apply a command; with `merge`, a slider's run of values becomes one step."""
        if merge and self._open_merge and self._position and merges(self._commands[self._position - 1], command):
            self._position -= 1
        self._append(command)
        self._open_merge = merge
        self._tell({"step": "do", "at": self._position, "command": command.to_json()}, command.strokes())
        return self.job

    def end_run(self) -> None:
        """A slider was let go: what comes next is a step of its own."""
        self._open_merge = False

    def amend(self, command: Command) -> Job:
        """Apply a command to every job from the first to the last: for what was measured, which is nobody's step."""
        self._jobs = {at: command.apply(job) for at, job in self._jobs.items()}
        self._tell({"step": "amend", "at": self._position, "command": command.to_json()}, ())
        return self.job

    def undo(self) -> Job:
        """Take the last step back; nothing happens where there is none."""
        if self._position:
            self._position -= 1
            self._tell({"step": "goto", "at": self._position}, ())
        self._open_merge = False
        return self.job

    def redo(self) -> Job:
        """Do the next step again; nothing happens where there is none."""
        if self._position < len(self._commands):
            self._position += 1
            self._tell({"step": "goto", "at": self._position}, ())
        self._open_merge = False
        return self.job

    def replay(self, record: dict, points: dict) -> None:
        """Play one journal record (see `listener`). Raises KeyError or RequestError if it does not fit."""
        at = int(record["at"])
        if record["step"] == "goto":
            if not 0 <= at <= len(self._commands):
                raise KeyError(at)
            self._position = at
            return
        if record["step"] == "amend":
            self.amend(command_from_json(record["command"], points))
            return
        if not 1 <= at <= len(self._commands) + 1:
            raise KeyError(at)
        command = command_from_json(record["command"], points)
        self._position = at - 1
        self._append(command)

    def _append(self, command: Command) -> None:
        """Do a command here; what was undone is gone."""
        job = command.apply(self.job)  # first: if it does not fit, all stays as it is
        del self._commands[self._position :]
        self._commands.append(command)
        self._position += 1
        for at in [at for at in self._jobs if at >= self._position]:
            del self._jobs[at]
        self._hold(self._position, job)

    def _hold(self, at: int, job: Job) -> None:
        self._jobs[at] = job
        far = at - _NEAR
        if far > 0 and far % _MILESTONE and len(self._jobs) > _NEAR:
            self._jobs.pop(far, None)

    def _job_at(self, position: int) -> Job:
        """The job after the first `position` commands."""
        held = self._jobs.get(position)
        if held is None:
            start = max(at for at in self._jobs if at < position)
            held = self._jobs[start]
            for at in range(start, position):
                held = self._commands[at].apply(held)
                self._hold(at + 1, held)
        return held

    def goto(self, position: int) -> Job:
        """Go to where so many steps are done."""
        self._position = max(0, min(position, len(self._commands)))
        return self.job

    def _tell(self, record: dict, strokes: tuple) -> None:
        if self.listener:
            self.listener(record, strokes)
