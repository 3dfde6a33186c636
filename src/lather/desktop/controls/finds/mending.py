"""Mending finds: the one in hand, which stays in sight for a moment, or all that are listed, as one step."""

from collections import deque
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.job.commands import ListFind
from lather.core.job.finds import Find
from lather.core.mending.edit_for_find import can_mend, mend_all, mend_command
from lather.core.mending.even_blotches import even_all_command
from lather.core.phrases import joined, phrase
from lather.desktop import settings
from lather.desktop.background import Background

if TYPE_CHECKING:
    from lather.desktop.controls.finds.finds import FindsControl

_DONE = {
    "mend": lambda n: phrase("Mended %n finds in one step; undo takes them back.", n=n,
                             one="Mended %n find in one step; undo takes it back."),
    "strands": lambda n: phrase("Cleared %n hairs in one step; undo takes them back.", n=n,
                                one="Cleared %n hair in one step; undo takes it back."),
    "even": lambda n: phrase("Evened %n blotches in one step; undo takes them back.", n=n,
                             one="Evened %n blotch in one step; undo takes it back."),
    "colour": lambda n: phrase("Calmed %n places in one step; undo takes them back.", n=n,
                               one="Calmed %n place in one step; undo takes it back."),
}
"""What was done of a whole list, by the stage in which it was asked for."""


@dataclass(frozen=True)
class _Asked:
    """A find to be mended, with what was in hand when it was asked for."""

    find: Find
    stage_id: str
    layer_id: str
    share: float


class Mending(QObject):
    """Works on the list of a FindsControl. busy, share (0-1): of mending the whole list. `mended(ids)`: of the edits by
    which the find in hand was mended; nothing once it is left.
    """

    changed = pyqtSignal()
    message = pyqtSignal(object)
    mended = pyqtSignal(object)

    def __init__(self, finds: "FindsControl"):
        super().__init__(finds)
        self.finds, self.job, self.background = finds, finds.job, Background(self)
        self.busy, self.share = False, 0.0
        self._queue: deque[_Asked] = deque()
        self._now: _Asked | None = None
        self._shown_until_mended = ""
        self.linger = QTimer(self)
        self.linger.setSingleShot(True)
        self.linger.timeout.connect(lambda: finds.step(1))

    def waiting(self) -> set[str]:
        """Ids of finds that will be mended."""
        return {one.find.id for one in (*self._queue, self._now) if one is not None}

    # a mend stays in sight for a moment

    @property
    def lingering(self) -> bool:
        """True while the find in hand was just mended, and is shown before the next one comes."""
        current = self.finds.current
        return self.linger.isActive() or (current is not None and current.id == self._shown_until_mended)

    def go_on(self) -> None:
        """To the next find at once."""
        if self.lingering:
            self._shown_until_mended = ""
            self.finds.step(1)

    def stay(self) -> None:
        """The mend in sight is being worked on: the next find waits for a key."""
        self.linger.stop()
        self._shown_until_mended = ""

    def wait_no_longer(self) -> None:
        self.linger.stop()

    def leave(self) -> None:
        """For another find: what this one was mended by is in hand no more."""
        self.wait_no_longer()
        self.mended.emit([])

    # one

    def mend(self) -> None:
        """Mend the current find; after a moment the next one comes."""
        find = self.finds.current
        if find is None:
            self.finds.step(1)
            return
        if not can_mend(find):
            self.message.emit(phrase("%1: mend this one by hand (Graft, Blend-in or a later stage); {next_find} goes "
                                     "on.", find.label))
            return
        if find.left_alone:
            self.job.do(ListFind(find))
            find = replace(find, left_alone="")
        if self.finds.states().get(find.id) == "mended":
            self.finds.step(1)
            return
        self._shown_until_mended = find.id
        self._queue.append(_Asked(find, self.job.stage_id, self._layer_id(), self.finds.even_share))
        self._mend_next()
        self.changed.emit()

    def _layer_id(self) -> str:
        """The layer in hand; "" where the stage has none yet (it is made with the first edit)."""
        return self.job.layer.id if self.job.layer is not None else ""

    def _mend_next(self) -> None:
        if self._now is not None or not self._queue:
            return
        asked = self._now = self._queue.popleft()
        job, engine = self.job.job, self.job.session.engine
        layer_id = self._layer_now(asked.stage_id, asked.layer_id)
        self.background.run(
            "mend", lambda task: mend_command(engine, job, asked.find, layer_id, asked.stage_id, asked.share),
            self._mended, failed=lambda text: self._mended(None, text))

    def _layer_now(self, stage_id: str, layer_id: str) -> str:
        """The layer that was in hand when it was asked for; where it has gone, or there was none, the last one there is
        now: the one before may have made it.
        """
        layers = [layer.id for layer in self.job.job.stage(stage_id).layers]
        return layer_id if layer_id in layers else layers[-1] if layers else ""

    def _mended(self, command, text: str = "") -> None:
        find, self._now = self._now.find, None
        if command is not None:
            self.job.do(command)
        else:
            text = text or phrase("No fitting skin near this %1; choose it with Carry.", find.label.lower())
        if text:
            self.message.emit(text)
        if find.id == self._shown_until_mended:
            self._shown_until_mended = ""
            if self.finds.current is not None and self.finds.current.id == find.id:
                if command is not None:  # it can be changed until the next one comes
                    self.mended.emit([stroke.id for stroke in command.strokes()])
                self.linger.start(round(1000 * settings.value("linger_s")) if command is not None else 0)
        self.changed.emit()
        self._mend_next()

    # all

    def mend_shown(self) -> None:
        """Mend all open finds of the list, in the background, as one step."""
        if self.finds.busy:
            return
        states = self.finds.states()
        open_ = [f for f in self.finds.shown() if states[f.id] == "open" and can_mend(f)]
        wanted = [f for f in open_ if self.finds.takes_by_itself(f)]
        if not wanted:
            unseen = "Nothing in this list is sure enough to be mended unseen: {mend_find} mends the one in hand."
            self.message.emit(unseen if open_ else "Nothing in this list is open.")
            return
        job, layer_id, engine, stage_id = self.job.job, self._layer_id(), self.job.session.engine, self.job.stage_id

        share = self.finds.even_share
        if self.finds.evens_all_skin:
            self._even_all_skin(len(wanted))
            return

        def work(task):
            return mend_all(engine, job, wanted, layer_id, task.tick, stage_id=stage_id, share=share)

        self._show_progress(0.0)
        self.background.run("mend all", work, lambda done: self._all_mended(job, stage_id, *done, len(wanted)),
                            failed=self._end,
                            progress=lambda share, _: self._show_progress(share))

    def _even_all_skin(self, count: int) -> None:
        command = even_all_command(self.job.job, self.job.session.photo.bounds, self._layer_id(),
                                   share=self.finds.even_share)
        self.job.do(command)
        self.message.emit(phrase("Evened all skin, %1 blotches with it, in one step; undo takes it back.", count))

    def stop(self) -> None:
        self.background.cancel("mend all")

    def _show_progress(self, share: float) -> None:
        self.busy, self.share = True, share
        self.changed.emit()

    def _all_mended(self, job, stage_id: str, command, count: int, wanted: int) -> None:
        layers = {layer.id for stage in self.job.job.stages for layer in stage.layers}
        gone = [layer for stage in job.stages for layer in stage.layers if layer.id not in layers]
        if gone and command is not None:
            self._end(phrase("The layer “%1” was taken away meanwhile; nothing was laid down.", gone[0].name))
            return
        if command is not None:
            self.job.do(command)
        missed = wanted - count
        self._end(joined([_DONE.get(stage_id, _DONE["mend"])(count),
                          phrase("%1 had no fitting skin near: do them by hand.", missed) if missed else ""]))

    def _end(self, message: str) -> None:
        self.busy = False
        self.message.emit(message)
        self.changed.emit()

    def idle(self) -> bool:
        return not (self.busy or self._queue or self._now or self.linger.isActive()) and self.background.idle()

    def close(self) -> None:
        self.linger.stop()
        self._queue.clear()
        self.background.close()
