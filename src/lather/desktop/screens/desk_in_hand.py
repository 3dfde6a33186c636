"""Changing what was laid down: the strip, the list and the held keys work on the edit that is in hand."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lather.desktop.screens.desk import DeskScreen


class DeskInHand:
    def __init__(self, desk: "DeskScreen"):
        self._desk = desk
        in_hand = desk.in_hand
        in_hand.changed.connect(self._another)
        desk.mends.picked.connect(lambda edits: in_hand.take([edit.id for edit in edits], go=True))
        desk.mends.removed.connect(in_hand.remove)
        desk.ghost.clicked.connect(in_hand.source_clicked)
        desk.found.mending.mended.connect(in_hand.take)
        desk.brush_strip.arrow_switched.connect(self._switch_arrow)
        desk.brush_strip.changed.connect(self._strip_changed)
        desk.control.brush_changed.connect(self._key_changed)

    def show_job(self) -> None:
        """The job is another: what is in hand may have other values, or be gone."""
        in_hand = self._desk.in_hand
        in_hand.refresh()
        self._desk.mends.show_in_hand({edit.id for edit in in_hand.edits})

    def choose_tool(self, tool: str) -> None:
        """The tool that a stage begins with: for when the arrow is put away, where it is out."""
        if self._desk.in_hand.arrow:
            self._desk.state.tool = tool
        else:
            self._desk.brush_strip.choose(tool)

    def _another(self) -> None:
        desk, in_hand = self._desk, self._desk.in_hand
        desk.control.values.state = in_hand.values or desk.state
        desk.brush_strip.show_values(in_hand.values, arrow=in_hand.arrow)
        desk.mends.show_in_hand({edit.id for edit in in_hand.edits})
        if in_hand.values is not None and in_hand.arrow:
            desk.show_list("mends")
        desk.canvas.update()

    def _switch_arrow(self, on: bool) -> None:
        """A tool that is taken leaves the arrow, and what was in hand."""
        in_hand = self._desk.in_hand
        if on or in_hand.arrow or in_hand.values is not None:
            in_hand.set_arrow(on)

    def _strip_changed(self) -> None:
        desk = self._desk
        if desk.in_hand.values is not None:
            desk.found.mending.stay()
            desk.in_hand.take_values(desk.brush_strip.dragging)
        desk.canvas.update()

    def _key_changed(self) -> None:
        self._desk.brush_strip.refresh()
        if self._desk.in_hand.values is not None:
            self._desk.in_hand.take_values(dragging=True)
