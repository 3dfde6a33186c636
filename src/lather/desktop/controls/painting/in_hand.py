"""Edits taken in hand afterwards, by a click with the arrow, from the list, or right after a find was mended: their
values are those of the strip until they are let go.
"""

from collections.abc import Iterable
from dataclasses import replace

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QPainter

from lather.core.job.commands import Command, RemoveEdits, ReplaceEdit, Together
from lather.core.job.model import Stroke
from lather.core.job.picking import Placed, edits_at, placed
from lather.core.phrases import phrase
from lather.core.tools.registry import TOOLS
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.painting.pointer_overlay import draw_edit
from lather.desktop.controls.painting.stroke import StrokeControl
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_REACH_PX = 4.0  # of the screen, beside an edit at which a click still means it
_VALUES = ("size_px", "edge", "ceiling", "flow", "pressure_size", "pressure_ceiling", "pressure_flow", "build_up")


class InHand(QObject):
    """arrow: a touch takes an edit in hand instead of painting. values: what the strip shows while one is, or None.

    `changed()` after another edit is in hand, or none.
    """

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, strokes: StrokeControl, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.strokes = canvas, job, strokes
        self.arrow = False
        self.values: BrushState | None = None
        self._ids: list[str] = []
        self._shown: Stroke | None = None
        self._under: Stroke | None = None  # the arrow

    @property
    def placed(self) -> list[Placed]:
        """(stage, layer, edit) of all that are in hand, the one taken last at the end."""
        return placed(self.job.job, self._ids)

    @property
    def edits(self) -> list[Stroke]:
        return [edit for *_, edit in self.placed]

    # taking and letting go

    def set_arrow(self, on: bool) -> None:
        self.arrow, self._under = on, None
        if on:
            self.canvas.setCursor(Qt.CursorShape.ArrowCursor)
            self.message.emit("Click a mend, stroke, outline or path to take it in hand (Shift: several); {take_out} "
                              "takes it out, {next_source} gives it other skin, {back} lets go.")
        else:
            self.canvas.unsetCursor()
            self.let_go()
        self.changed.emit()

    def take(self, ids: Iterable[str], *, go: bool = False) -> None:
        """Take edits in hand instead of those that were. go: bring the last of them into view."""
        self._ids = list(ids)
        there = self.placed
        if there:
            stage_id, layer_id, edit = there[-1]
            self.job.choose_stage(stage_id)
            if self.job.layer is None or self.job.layer.id != layer_id:
                self.job.choose_layer(layer_id)
            if go:
                self.canvas.bring_into_view(edit.bounds)
        self.job.session.history.end_run()
        self.refresh()

    def let_go(self) -> None:
        if self._ids:
            self.take(())

    def refresh(self) -> None:
        """Show the values that the edit in hand has now; let go of what is there no more."""
        there = self.placed
        self._ids = [edit.id for *_, edit in there]
        before, edit = self._shown, there[-1][2] if there else None
        self._shown = self.strokes.selected = edit
        if edit is None:
            self.values = None
        elif before is not edit:
            made = BrushState(tool=edit.tool, tools=(edit.tool,), aligned=self.strokes.state.aligned)
            made.brushes[edit.tool], made.area_feather_px = edit.brush, edit.feather_px
            made.mode = edit.mode
            self.values = made
        if before is not edit:
            self.changed.emit()
            self.canvas.update()

    def stage_left(self) -> None:
        """Another stage was taken: what was in hand of the one before is let go."""
        there = self.placed
        if there and there[-1][0] != self.job.stage_id:
            self.let_go()

    # the pen

    def pen_event(self, event: PenEvent) -> bool:
        if not self.arrow:
            return False
        under: list[Placed] = []
        if event.kind == "press" or not (event.down or event.kind == "leave"):
            under = self._at(event)
        if event.kind == "press" and not event.context:
            self._pick(under, event.shift)
        self._under = under[0][2] if under else None
        self.canvas.update()
        return True

    def _at(self, event: PenEvent) -> list[Placed]:
        reach = _REACH_PX / self.canvas.view.scale
        return edits_at(self.job.job, event.x, event.y, reach=reach, first=self.job.stage_id)

    def source_clicked(self, event: PenEvent) -> None:
        """A click inside the source ring of a mend, which could have become a drag of it: it picks what lies there, or
        is the touch that it would have been without the ring.
        """
        if self.arrow:
            self._pick(self._at(event), event.shift)
            return
        self.let_go()
        for kind in ("press", "release"):
            self.strokes.pen_event(replace(event, kind=kind, down=kind == "press"))

    def _pick(self, under: list[Placed], more: bool) -> None:
        ids = [edit.id for *_, edit in under]
        if not ids:
            if not more:
                self.let_go()
            return
        if more:
            chosen = next((one for one in ids if one not in self._ids), "")
            self.take([*self._ids, chosen] if chosen else [one for one in self._ids if one != ids[0]])
            return
        last = self._ids[-1] if len(self._ids) == 1 else ""
        self.take([ids[(ids.index(last) + 1) % len(ids)] if last in ids else ids[0]])

    # changing

    def take_values(self, dragging: bool = False) -> None:
        """What the strip shows now becomes the edits', as one step while it is dragged."""
        there, values = self.placed, self.values
        if values is None or self._shown is None or not there or there[-1][2].id != self._shown.id:
            return  # the strip still shows those of what was in hand before
        was, now = there[-1][2], values.brush
        changes = {name: getattr(now, name) for name in _VALUES if getattr(now, name) != getattr(was.brush, name)}
        commands: list[Command] = []
        for stage_id, layer_id, edit in there:
            made = replace(edit, brush=replace(edit.brush, **changes))
            if edit.by_outline and values.area_feather_px != was.feather_px:
                made = replace(made, feather=values.area_feather_px)
            if values.mode != was.mode and values.mode in TOOLS[edit.tool].modes:
                made = replace(made, mode=values.mode)
            if made != edit:
                commands.append(ReplaceEdit(stage_id, layer_id, made))
        if commands:
            self.job.do_dragged(_as_one(phrase("change %1 edits", len(commands)), commands), dragging)

    def remove(self) -> bool:
        """Take out what is in hand; False where nothing is."""
        there = self.placed
        by_layer: dict[tuple[str, str], list[str]] = {}
        for stage_id, layer_id, edit in there:
            by_layer.setdefault((stage_id, layer_id), []).append(edit.id)
        commands: list[Command] = [RemoveEdits(*place, tuple(ids)) for place, ids in by_layer.items()]
        if commands:
            self.job.do(_as_one(phrase("remove %1 edits", len(there)), commands))
        return bool(commands)

    # drawing

    def draw(self, painter: QPainter) -> None:
        for edit in self.edits:
            draw_edit(painter, self.canvas, edit)
        if self.arrow and self._under is not None and self._under.id not in self._ids:
            draw_edit(painter, self.canvas, self._under, quiet=True)


def _as_one(name: str, commands: list[Command]) -> Command:
    return commands[0] if len(commands) == 1 else Together(name, tuple(commands))
