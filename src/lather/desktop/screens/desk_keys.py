"""Keys on the desk: what each does there (see `input.keys` for which key that is)."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

from lather.core.lamps.registry import PLAIN

if TYPE_CHECKING:
    from lather.desktop.screens.desk import DeskScreen

_DECISIONS = ("mend_find", "keep_find", "skip_find", "next_find")
_KEEP_LINGERING = ("before", "move", "next_source", "previous_find", "key_sheet", "arrow", "take_out", "marks")
_CHANGE_THE_MEND = ("drag_size", "drag_ceiling", "smaller", "larger", "lower_ceiling", "higher_ceiling")
_OF_THE_PEN = ("take_source", "drag_size", "drag_ceiling", "also_parts")


class DeskKeys:
    def __init__(self, desk: "DeskScreen"):
        self._desk = desk
        found, layers = desk.found, desk.layers
        self._pressed = {
            "before": lambda: desk.canvas.set_mode("before"),
            "move": self._move,
            "fit": self._fit,
            "next_tool": self._next_tool,
            "previous_find": lambda: self._decide("previous_find", found.back),
            "next_find": lambda: self._decide("next_find", lambda: found.step(1)),
            "mend_find": lambda: self._decide("mend_find", found.mending.mend),
            "keep_find": lambda: self._decide("keep_find", lambda: found.decide("keep")),
            "skip_find": lambda: self._decide("skip_find", lambda: found.decide("skip")),
            "next_source": self._next_source,
            "lay_down": desk.graft.lay_down,
            "other_card": desk.brush_strip.cards.other,
            "smaller": lambda: desk.brush_strip.step("size", -1),
            "larger": lambda: desk.brush_strip.step("size", 1),
            "lower_ceiling": lambda: desk.brush_strip.step("ceiling", -1),
            "higher_ceiling": lambda: desk.brush_strip.step("ceiling", 1),
            "arrow": lambda: desk.in_hand.set_arrow(not desk.in_hand.arrow),
            "take_out": desk.in_hand.remove,
            "marks": found.turn_marks,
            "second": lambda: desk.seen.turn_second(),
            "fold": desk.fold,
            "next_lamp": desk.lamps.next,
            "no_lamp": lambda: desk.lamps.choose(PLAIN),
            "rename_layer": lambda: desk.job.layer is not None and layers.rename(desk.job.layer.id),
            "back": self._back,
            "turn_mask": lambda: desk.part.act("turn_mask"),
            "show_mask": lambda: desk.part.act("show_mask"),
        }

    def press(self, action: str) -> None:
        mending = self._desk.found.mending
        if mending.lingering and action in _CHANGE_THE_MEND:
            mending.stay()
        elif mending.lingering and action not in _KEEP_LINGERING:
            mending.go_on()
            if action in _DECISIONS:
                return  # the key has done its work: the next find is in sight, to be decided on
        if action in _OF_THE_PEN:
            self._desk.control.hold(action)
        elif action in self._pressed:
            self._pressed[action]()

    def _decide(self, action: str, otherwise) -> None:
        """A stage with a list of its own goes by it; else it is about finds."""
        if not self._desk.part.decide(action):
            otherwise()

    def release(self, action: str) -> None:
        canvas = self._desk.canvas
        if action in _OF_THE_PEN:
            self._desk.control.let_go(action)
            self._desk.job.end_drag()
        elif action == "before":
            canvas.set_mode("after")
        elif action == "move":
            canvas.navigation.panning = False
            canvas.unsetCursor()

    def _move(self) -> None:
        self._desk.canvas.navigation.panning = True
        self._desk.canvas.setCursor(Qt.CursorShape.OpenHandCursor)

    def _fit(self) -> None:
        canvas = self._desk.canvas
        if abs(canvas.view.scale - 1) < 1e-6:
            canvas.fit()
        else:
            canvas.zoom_to(1.0)

    def _next_tool(self) -> None:
        self._desk.brush_strip.choose(self._desk.state.next_tool())

    def _next_source(self) -> None:
        desk = self._desk
        desk.found.mending.stay()
        if any(edit.offset is not None for edit in desk.in_hand.edits):
            desk.ghost.next_source()
        else:
            desk.part.again() or desk.graft.next_source() or desk.ghost.next_source()

    def _back(self) -> None:
        desk = self._desk
        if not desk.graft.give_up():
            desk.control.give_up()
        if desk.in_hand.values is not None:
            desk.in_hand.let_go()
        elif desk.in_hand.arrow:
            desk.in_hand.set_arrow(False)
        desk.part.give_up()
        desk.fence.set_drawing(False)
        desk.face.set_editing(False)
        desk.canvas.setFocus()
