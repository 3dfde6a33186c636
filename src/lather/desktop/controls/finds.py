"""Finds on the desk: looked for in the background, stepped through, mended, kept or skipped."""

import functools
import threading
from collections import deque

from PyQt6.QtCore import QObject, QPointF, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.errors import Cancelled, LatherError
from lather.core.find.finder import find_all
from lather.core.find.mend import can_mend, mend_all, mend_command, proposed_size
from lather.core.find.strands import USUAL_CONFIDENCE, chosen_hairs
from lather.core.find.worth import Delivery
from lather.core.job.commands import DecideFind, SetFinds
from lather.core.job.finds import SOFTENED, Find, listed_in
from lather.core.measure.gauges import Compared, measure_gauges
from lather.core.measure.keepers import intact_keepers
from lather.core.measure.residual import find_contrast, residual_share
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_line, draw_outline, draw_pin, draw_ring, draw_tag
from lather.desktop.open_job import OpenJob
from lather.desktop.screens.measured import Measured

_FAINTEST_HAIRS = 0.1  # all are kept: the sensitivity chooses among them
_GAUGE_DELAY_MS = 350
_GAUGE_TILES = 12  # tiles of skin that the fine bands are read from
USUAL_SENSITIVITY = 1 - USUAL_CONFIDENCE
_CLOSE_UP = 3.0  # a find is brought to at least this many times its size away from the frame of the view


class FindsControl(QObject):
    """`changed()` after anything the panel shows; `found()` after looking; `message(text)` for the person;
    `gauged(dict)` after measuring.

    filters: show "worth" or "rest"; kind and zone, "" for all. sensitivity (0-1) and soft_share: which stray hairs.
    """

    changed = pyqtSignal()
    found = pyqtSignal()
    message = pyqtSignal(str)
    gauged = pyqtSignal(dict)
    _progress = pyqtSignal(float, str)
    _answer = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, measured: Measured, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.measured = canvas, job, measured
        measured.ready.connect(self._measure)
        job.stage_changed.connect(self._stage_changed)
        self.show, self.kind, self.zone = "worth", "", ""
        self.sensitivity, self.soft_share = USUAL_SENSITIVITY, 0.0
        self.current: Find | None = None
        self.busy = self.doing = ""
        self.share = 0.0
        self._cancel, self._closed = threading.Event(), False
        self._queue: deque[Find] = deque()
        self._mending: Find | None = None
        self._threads: list[threading.Thread] = []
        self._been: list[str] = []  # ids of the finds that were in hand, for the way back
        self._shown_until_mended = ""
        self._linger = QTimer(self)
        self._linger.setSingleShot(True)
        self._linger.timeout.connect(lambda: self.step(1))
        self._progress.connect(self._show_progress)
        self._answer.connect(self._take_answer)
        job.changed.connect(lambda _: self._job_changed())
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_GAUGE_DELAY_MS)
        self._later.timeout.connect(self._measure)
        self._later.start()

    # the list

    @property
    def finds(self) -> tuple[Find, ...]:
        """Finds of the stage in hand; of the stray hairs, those the sensitivity lets in less the finest."""
        stage_id = self.job.stage_id
        listed = [f for f in self.job.job.finds or () if listed_in(f.kind, stage_id)]
        if stage_id != "strands":
            return tuple(listed)
        hairs = chosen_hairs(listed, least_confidence=1 - self.sensitivity, soft_share=self.soft_share)
        return tuple(hairs) + tuple(f for f in listed if f.kind != "stray_hair")

    def states(self) -> dict[str, str]:
        """{find id: mended, keep, skip or open}; those waiting to be mended count as mended."""
        job, mended = self.job.job, self.job.job.mended_finds()
        waiting = {f.id for f in self._queue} | ({self._mending.id} if self._mending else set())
        return {f.id: "mended" if f.id in waiting else job.find_state(f, mended) for f in self.finds}

    def shown(self) -> list[Find]:
        """Finds that pass the filters, most visible first."""
        wanted = self.show == "worth"
        return [
            f
            for f in self.finds
            if f.worth == wanted
            and (not self.kind or f.kind == self.kind)
            and (not self.zone or f.zone.partition(",")[0] == self.zone)
        ]

    def set_filter(self, **values) -> None:
        for name, value in values.items():
            setattr(self, name, value)
        self.changed.emit()

    def choose(self, find: Find | None, *, go: bool = True) -> None:
        self.current = find
        if find is not None and go:
            self._bring_into_view(find)
        self.changed.emit()
        self.canvas.update()

    def _bring_into_view(self, find: Find) -> None:
        view = self.canvas.view
        seen = view.visible(self.canvas.picture)
        margin = min(_CLOSE_UP * proposed_size(find), seen.width / 4, seen.height / 4)
        inside = seen.x0 + margin < find.x < seen.x1 - margin and seen.y0 + margin < find.y < seen.y1 - margin
        if not inside or proposed_size(find) * view.scale < 8:
            scale = view.scale if proposed_size(find) * view.scale >= 8 else 1.0
            self.canvas.centre_on(find.x, find.y, scale)

    def step(self, by: int) -> None:
        """The next (or previous) open find of the list, round at its ends; when none is open, any find."""
        self._linger.stop()
        shown, states = self.shown(), self.states()
        if not shown:
            looking = f"Still looking at the photo ({self.share * 100:.0f} %); finds come when that is done."
            self.message.emit(looking if self.busy == "finding" else "Nothing left in this list.")
            return
        order = [f for f in shown if states[f.id] == "open"] or shown
        ids = [f.id for f in shown]
        at = ids.index(self.current.id) if self.current is not None and self.current.id in ids else -1
        places = [ids.index(f.id) for f in order]
        if by > 0:
            chosen = next((p for p in places if p > at), places[0])
        else:
            chosen = next((p for p in reversed(places) if p < at), places[-1])
        self._been.append(self.current.id if self.current is not None else "")
        self.choose(shown[chosen])

    def back(self) -> None:
        """The find that was in hand before this one, mended or not; before the first one, the one above in the list."""
        self._linger.stop()
        by_id = {f.id: f for f in self.finds}
        while self._been:
            find = by_id.get(self._been.pop())
            if find is not None:
                self.choose(find)
                return
        self.step(-1)
        self._been.clear()

    # a mend stays in sight for a moment

    @property
    def lingering(self) -> bool:
        """True while the find in hand was just mended, and is shown before the next one comes."""
        return self._linger.isActive() or (self.current is not None and self.current.id == self._shown_until_mended)

    def go_on(self) -> None:
        """To the next find at once."""
        if self.lingering:
            self._shown_until_mended = ""
            self.step(1)

    def stay(self) -> None:
        """The mend in sight is being worked on: the next find waits for a key."""
        self._linger.stop()
        self._shown_until_mended = ""

    # decisions

    def mend(self) -> None:
        """Mend the current find; after a moment the next one comes."""
        find = self.current
        if find is None:
            self.step(1)
            return
        if not can_mend(find):
            self.message.emit(f"{find.label}: mend this one by hand (Graft, Blend-in or a later stage); W goes on.")
            return
        if self.states()[find.id] == "mended":
            self.step(1)
            return
        self._shown_until_mended = find.id
        self._queue.append(find)
        self._mend_next()
        self.canvas.update()

    def decide(self, decision: str) -> None:
        """Keep or skip the current find and go to the next; the same again opens it."""
        find = self.current
        if find is None:
            self.step(1)
            return
        again = self.states()[find.id] == decision
        self.job.do(DecideFind(find.id, "" if again else decision))
        self.step(1)

    def _layer_id(self) -> str:
        """The layer in hand; "" where the stage has none yet (it is made with the first edit)."""
        return self.job.layer.id if self.job.layer is not None else ""

    def _mend_next(self) -> None:
        if self._mending is not None or not self._queue:
            return
        find = self._mending = self._queue.popleft()
        job, layer_id, engine = self.job.job, self._layer_id(), self.job.session.engine
        stage_id = self.job.stage_id

        def work() -> None:
            try:
                command = mend_command(engine, job, find, layer_id, stage_id)
                text = "" if command else f"No fitting skin near this {find.label.lower()}; choose it with Carry."
            except LatherError as error:
                command, text = None, error.message
            self._answer.emit(lambda: self._mended(command, text))

        self._start(work, "mend")

    def _mended(self, command, text: str) -> None:
        find, self._mending = self._mending, None
        if command is not None:
            self.job.do(command)
        if text:
            self.message.emit(text)
        if find.id == self._shown_until_mended:
            self._shown_until_mended = ""
            if self.current is not None and self.current.id == find.id:
                self._linger.start(settings.linger_ms() if command is not None else 0)
        self.changed.emit()
        self._mend_next()

    def mend_shown(self) -> None:
        """Mend all open finds of the list, in the background, as one step."""
        if self.busy:
            return
        states = self.states()
        wanted = [f for f in self.shown() if states[f.id] == "open" and can_mend(f)]
        if not wanted:
            self.message.emit("Nothing in this list is open.")
            return
        job, layer_id, engine = self.job.job, self._layer_id(), self.job.session.engine
        stage_id = self.job.stage_id
        self._begin("mending")

        def work() -> None:
            try:
                command, count = mend_all(
                    engine, job, wanted, layer_id, lambda s: self._tick(s, "mending"), stage_id=stage_id
                )
                self._answer.emit(lambda: self._all_mended(job, command, count, len(wanted)))
            except LatherError as error:
                message = error.message
                self._answer.emit(lambda: self._end(message))

        self._start(work, "mend all")

    def _all_mended(self, job, command, count: int, wanted: int) -> None:
        layers = {layer.id for stage in self.job.job.stages for layer in stage.layers}
        gone = [layer for stage in job.stages for layer in stage.layers if layer.id not in layers]
        if command is not None and not gone:
            self.job.do(command)
        missed = wanted - count
        done = f"Cleared {count} hairs" if self.job.stage_id == "strands" else f"Mended {count} finds"
        self._end(
            f"{done} in one step; undo takes them back."
            + (f" {missed} had no fitting skin near: do them by hand." if missed else "")
        )

    # finding

    def find(self) -> None:
        """Look for flaws in the background; decisions already made stay."""
        if self.busy:
            return
        photo, job = self.job.session.photo, self.job.job
        face = job.face_map if job.face_map is not None and job.face_map.by_person else None
        delivery = Delivery.from_json(job.brief.get("delivery"))
        self._begin("finding")

        def work() -> None:
            try:
                finds, measures = find_all(
                    photo, face=face, delivery=delivery, progress=self._tick, hairs_from=_FAINTEST_HAIRS
                )
                self._answer.emit(lambda: self._found(finds, measures.face))
            except Cancelled:
                self._answer.emit(lambda: self._end("Looking was stopped. “Look again” starts it anew."))
            except Exception as error:  # the desk goes on without finds
                message = f"The photo could not be looked through ({error}); mend by hand."
                self._answer.emit(lambda: self._end(message))

        self._start(work, "find")

    def _found(self, finds, face) -> None:
        self.job.amend(SetFinds(finds, face))
        self.current = None
        self._end("")
        self.found.emit()

    def _begin(self, what: str) -> None:
        self.busy, self.share = what, 0.0
        self._cancel.clear()
        self.changed.emit()

    def _tick(self, share: float, what: str) -> bool:
        self._progress.emit(share, what)
        return not self._cancel.is_set()

    def _show_progress(self, share: float, what: str) -> None:
        if self.busy:
            self.share, self.doing = share, what
            self.changed.emit()

    def _end(self, message: str) -> None:
        self.busy = ""
        if message:
            self.message.emit(message)
        self.changed.emit()
        self.canvas.update()

    def _take_answer(self, answer) -> None:
        """What a thread found out, here in the window's thread; an answer that comes after the end is dropped."""
        if not self._closed:
            answer()

    def stop(self) -> None:
        """Cancel what runs in the background."""
        self._cancel.set()

    def idle(self) -> bool:
        waiting = self._linger.isActive() or self._later.isActive()
        return not (self.busy or self._queue or self._mending or waiting) and not any(
            t.is_alive() for t in self._threads
        )

    def _start(self, work, name: str) -> None:
        self._threads = [t for t in self._threads if t.is_alive()]
        thread = threading.Thread(target=work, name=name, daemon=True)
        self._threads.append(thread)
        thread.start()

    def close(self) -> None:
        self._closed = True
        self._later.stop()
        self._linger.stop()
        self._cancel.set()
        self._queue.clear()
        for thread in self._threads:
            thread.join(timeout=10)

    def _stage_changed(self) -> None:
        self.current, self.kind, self.zone = None, "", ""
        self._linger.stop()
        self._been.clear()
        self.changed.emit()

    # gauges

    def _job_changed(self) -> None:
        self.changed.emit()
        self._later.start()

    def _measure(self) -> None:
        """Keepers and what is left of softened finds, measured beside the window."""
        job, engine = self.job.job, self.job.session.engine
        if not any(True for _ in job.edits()):
            self.gauged.emit({})
            return
        measures = self.measured.measures
        profile, bounds = engine.photo.profile, engine.photo.bounds
        softened = [
            f
            for layer in job.stage("mend").layers
            if layer.extra.get("soften")
            for edit in layer.edits
            for f in job.finds or ()
            if f.id == edit.find and f.kind in SOFTENED
        ]

        def work() -> None:
            try:
                keepers = job.keepers()
                intact = intact_keepers(
                    keepers, engine.photo.read, lambda rect: engine.pixels(job, rect), bounds, profile
                )
                left = []
                for find in softened:
                    was = find_contrast(find, engine.photo.read, bounds, profile)
                    now = find_contrast(find, lambda rect: engine.pixels(job, rect), bounds, profile)
                    share = residual_share(was, now)
                    if share is not None:
                        left.append((find, share))
                wide = {}
                if measures is not None:
                    now = functools.partial(engine.pixels, job)
                    pictures = Compared(bounds, profile, engine.photo.read, now, measures)
                    wide = measure_gauges(pictures, most_tiles=_GAUGE_TILES)
            except Exception:  # a layer changed under the measuring: it is measured again after the next step
                return
            self._answer.emit(lambda: self.gauged.emit({"keepers": (len(intact), len(keepers)), "left": left} | wide))

        self._start(work, "gauges")

    # over the photo

    def keeper_near(self, x: float, y: float, reach: float) -> Find | None:
        """A keeper that a touch of radius `reach` at (x, y) would cross."""
        for find in self.job.job.keepers():
            if (find.x - x) ** 2 + (find.y - y) ** 2 < (reach + find.size_px / 2) ** 2:
                return find
        return None

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        view = canvas.view
        for find in self.job.job.keepers():
            at = QPointF(*view.to_screen(find.x, find.y))
            draw_pin(painter, at, find.size_px / 2 * view.scale)
        if self.job.stage_id == "strands":
            self._draw_hairs(painter, view)
        if self.current is None or self.lingering:
            return
        find = self.current
        at = QPointF(*view.to_screen(find.x, find.y))
        radius = max(6.0, (proposed_size(find) if find.path is None else find.size_px) / 2 * view.scale)
        if find.path is None:
            draw_ring(painter, at, radius)
        else:
            self._draw_path(painter, view, find)
        if self.states().get(find.id) == "mended":
            return
        size = f"{find.size_px:.0f} px" if find.path is None else f"{find.size_px:.0f} × {find.width_px:.0f} px"
        draw_tag(painter, at.x() + radius + 12, at.y(), f"{find.label} · {size} · {find.contrast_de:.1f} ΔE")

    def _draw_hairs(self, painter: QPainter, view) -> None:
        """Every hair of the list: a line along it; those that stay or are skipped dashed."""
        states = self.states()
        for find in self.finds:
            if states[find.id] != "mended" and find.path is not None:
                points = [QPointF(*view.to_screen(x, y)) for x, y in find.path]
                draw_line(painter, points, quiet=states[find.id] != "open")

    @staticmethod
    def _draw_path(painter: QPainter, view, find: Find) -> None:
        draw_outline(painter, [QPointF(*view.to_screen(x, y)) for x, y in find.outline])
