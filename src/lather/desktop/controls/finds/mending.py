"""Mending finds: the one in hand, which stays in sight for a moment, or all that are listed, as one step."""

from collections import deque
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lather.core.job.finds import Find
from lather.core.mending.edit_for_find import can_mend, mend_all, mend_command
from lather.core.mending.even_blotches import even_all_command
from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.background import Background

if TYPE_CHECKING:
    from lather.desktop.controls.finds.finds import FindsControl

_DONE = {"strands": "Cleared {} hairs", "even": "Evened {} blotches", "colour": "Calmed {} places"}


class Mending(QObject):
    """Works on the list of a FindsControl. busy, share (0-1): of mending the whole list."""

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, finds: "FindsControl"):
        super().__init__(finds)
        self.finds, self.job, self.background = finds, finds.job, Background(self)
        self.busy, self.share = False, 0.0
        self._queue: deque[Find] = deque()
        self._now: Find | None = None
        self._shown_until_mended = ""
        self.linger = QTimer(self)
        self.linger.setSingleShot(True)
        self.linger.timeout.connect(lambda: finds.step(1))

    def waiting(self) -> set[str]:
        """Ids of finds that will be mended."""
        return {find.id for find in (*self._queue, self._now) if find is not None}

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
        if self.finds.states()[find.id] == "mended":
            self.finds.step(1)
            return
        self._shown_until_mended = find.id
        self._queue.append(find)
        self._mend_next()
        self.changed.emit()

    def _layer_id(self) -> str:
        """The layer in hand; "" where the stage has none yet (it is made with the first edit)."""
        return self.job.layer.id if self.job.layer is not None else ""

    def _mend_next(self) -> None:
        if self._now is not None or not self._queue:
            return
        find = self._now = self._queue.popleft()
        job, layer_id, engine, stage_id = self.job.job, self._layer_id(), self.job.session.engine, self.job.stage_id
        share = self.finds.even_share
        self.background.run("mend", lambda task: mend_command(engine, job, find, layer_id, stage_id, share),
                            self._mended, failed=lambda text: self._mended(None, text))

    def _mended(self, command, text: str = "") -> None:
        find, self._now = self._now, None
        if command is not None:
            self.job.do(command)
        else:
            text = text or phrase("No fitting skin near this %1; choose it with Carry.", find.label.lower())
        if text:
            self.message.emit(text)
        if find.id == self._shown_until_mended:
            self._shown_until_mended = ""
            if self.finds.current is not None and self.finds.current.id == find.id:
                self.linger.start(round(1000 * settings.value("linger_s")) if command is not None else 0)
        self.changed.emit()
        self._mend_next()

    # all

    def mend_shown(self) -> None:
        """Mend all open finds of the list, in the background, as one step."""
        if self.finds.busy:
            return
        states = self.finds.states()
        wanted = [f for f in self.finds.shown() if states[f.id] == "open" and can_mend(f)]
        if not wanted:
            self.message.emit("Nothing in this list is open.")
            return
        job, layer_id, engine, stage_id = self.job.job, self._layer_id(), self.job.session.engine, self.job.stage_id

        share = self.finds.even_share
        if self.finds.evens_all_skin:
            self._even_all_skin(len(wanted))
            return

        def work(task):
            return mend_all(engine, job, wanted, layer_id, task.tick, stage_id=stage_id, share=share)

        self._show_progress(0.0)
        self.background.run("mend all", work, lambda done: self._all_mended(job, *done, len(wanted)), failed=self._end,
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

    def _all_mended(self, job, command, count: int, wanted: int) -> None:
        layers = {layer.id for stage in self.job.job.stages for layer in stage.layers}
        gone = [layer for stage in job.stages for layer in stage.layers if layer.id not in layers]
        if command is not None and not gone:
            self.job.do(command)
        missed = wanted - count
        done = _DONE.get(self.job.stage_id, "Mended {} finds").format(count)
        self._end(
            phrase("%1 in one step; undo takes them back.", done)
            + (phrase(" %1 had no fitting skin near: do them by hand.", missed) if missed else "")
        )

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
