"""The source of a mend, moved afterwards: dragged on the photo, or the next candidate by key."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.job.commands import ReplaceEdit
from lather.core.job.model import Stroke
from lather.core.job.picking import placed
from lather.core.stages.mend.dab import source_candidates
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.painting.stroke import StrokeControl
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_CLICK_PX = 3  # of the screen


class GhostControl(QObject):
    """Works on the mend whose source is shown: the last Dab for a while, or the one in hand. `clicked(PenEvent)`: the
    source ring was touched, and not moved.
    """

    message = pyqtSignal(object)
    clicked = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, strokes: StrokeControl, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.strokes = canvas, job, strokes
        strokes.worker.answered.connect(self._answered)
        self._drag: tuple[Stroke, float, float] | None = None
        self._ranked: tuple[str, list] = ("", [])

    def _place_of(self, edit: Stroke) -> tuple[str, str] | None:
        """(stage id, layer id) of an edit, None if it is gone."""
        return next((place[:2] for place in placed(self.job.job, [edit.id])), None)

    def _last(self) -> Stroke | None:
        """The mend to change: the one shown, else the newest one, on whatever layer, that was sourced by search."""
        held = {edit.id: edit for edit in self.job.job.edits()}
        if self.strokes.ghost is not None:
            return held.get(self.strokes.ghost.id)
        history = self.job.session.history
        done = (edit for do in reversed(history.commands[: history.position]) for edit in reversed(do.strokes()))
        return next((held[edit.id] for edit in done if edit.tool == "dab" and edit.id in held), None) or next(
            (edit for edit in reversed(held.values()) if edit.tool == "dab"), None
        )

    def pen_event(self, event: PenEvent) -> bool:
        """Dragging the dashed ring of the mend that is shown. True if the event was for it."""
        if self._drag is not None:
            edit, x, y = self._drag
            if event.kind == "release" and np.hypot(event.x - x, event.y - y) * self.canvas.view.scale < _CLICK_PX:
                self._drag = None
                self.clicked.emit(event)
                return True
            moved = replace(edit, offset=(round(edit.offset[0] + event.x - x), round(edit.offset[1] + event.y - y)))
            self.strokes.show_source(moved, 1.0)
            if event.kind == "release":
                self._drag = None
                self._replace(moved)
            self.canvas.update()
            return True
        shown = self.strokes.ghost
        if event.kind != "press" or shown is None or shown.offset is None or event.shift:
            return False
        taken = shown.source_rect(shown.bounds)
        inside = taken.x0 <= event.x < taken.x1 and taken.y0 <= event.y < taken.y1
        box = shown.bounds
        on_the_mend = box.x0 <= event.x < box.x1 and box.y0 <= event.y < box.y1
        edit = self._last()
        if not inside or on_the_mend or edit is None or edit.id != shown.id:
            return False
        self._drag = (edit, event.x, event.y)
        return True

    def _replace(self, edit: Stroke) -> None:
        place = self._place_of(edit)
        if place is not None:
            self.job.do(ReplaceEdit(*place, edit))

    def next_source(self) -> bool:
        """The next candidate for the mend, which comes into view; they are searched the first time this is asked."""
        edit = self._last()
        place = self._place_of(edit) if edit is not None else None
        if edit is None or place is None or edit.offset is None:
            self.message.emit("There is no mend whose skin could be taken elsewhere.")
            return False
        self.canvas.bring_into_view(edit.bounds)
        if self._ranked[0] == edit.id:
            self._take_next(edit, self._ranked[1])
            return True
        stage_id, layer_id = place
        layer = self.job.job.stage(stage_id).layer(layer_id)
        edits = tuple(e for e in layer.edits if e.id != edit.id)
        without = self.job.job.with_layer(stage_id, replace(layer, edits=edits))
        engine, finds = self.canvas.engine, self.job.job.finds or ()

        def search() -> tuple:
            found = source_candidates(engine, without, layer_id, replace(edit, offset=None), avoid=finds)
            return "sources", edit.id, found

        self.strokes.worker.ask(search)
        return True

    def _answered(self, answer: object) -> None:
        if isinstance(answer, tuple) and answer[0] == "sources":
            self._ranked = (answer[1], answer[2])
            edit = self._last()
            if edit is not None and edit.id == answer[1]:
                self._take_next(edit, answer[2])

    def _take_next(self, edit: Stroke, candidates: list) -> None:
        offsets = [c.offset for c in candidates]
        if not offsets or offsets == [edit.offset]:
            self.message.emit("No other fitting skin near; choose it with Carry.")
            return
        at = (offsets.index(edit.offset) + 1) % len(offsets) if edit.offset in offsets else 0
        changed = replace(edit, offset=offsets[at])
        self.strokes.show_source(changed, candidates[at].fit)
        self._replace(changed)
