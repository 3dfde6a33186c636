"""What tools for skin leave out in the window: lips, eyes, brows, hair, what is behind, and marks that are kept."""

from collections.abc import Callable
from dataclasses import replace

from lather.core.job.commands import AddEdits
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.model import Job, Layer, Stroke
from lather.core.mending.edit_for_find import proposed_size
from lather.core.mending.judged import harmless
from lather.core.people.guard import Guard
from lather.core.phrases import phrase
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.brush_state import BrushState
from lather.desktop.opening.open_job import OpenJob

_MASKS = ("mask", "mask_area", "target")
LEFT_OUT = "Lips, eyes, brows, hair and keepers stay: hold {also_parts} to work on them."


class Spared:
    """guard: as the photo was read; None until it is. also: the key that lets a stroke reach all is down.
    mark_at(x, y): the spot, mole or speck that lies at a place, as far as it is known.
    """

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, state: BrushState):
        self.canvas, self.job, self.state = canvas, job, state
        self.guard: Guard | None = None
        self.also = False
        self.mark_at: Callable[[float, float], Find | None] = lambda x, y: None
        self._reach_all: set[str] = set()  # edits begun while all was reached: a dab is judged after the key is up

    def _works(self, tool: str, layer: Layer | None) -> bool:
        if self.guard is None or self.also or not self.state.spares or not TOOLS[tool].spares:
            return False
        return tool not in _MASKS or self._strict(layer)  # a mask is for skin where its layer is

    def _strict(self, layer: Layer | None) -> bool:
        """True if nothing else is worked on even where a stroke begins on it."""
        return layer is not None and self.canvas.engine.kinds[layer.kind].for_skin

    def whole_mark(self, stroke: Stroke) -> Stroke:
        """A Dab that begins on a mark and would take only a part of it, large enough for all of it."""
        if stroke.tool != "dab" or self.also or not self.state.spares:
            return stroke
        mark = self.mark_at(*_begun(stroke))
        if mark is None or stroke.brush.size_px >= mark.size_px:
            return stroke
        return replace(stroke, brush=replace(stroke.brush, size_px=proposed_size(mark)))

    def _meant_for(self, layer: Layer | None) -> tuple[str, ...]:
        """Zones that strokes on a layer keep inside of now; none where they may go anywhere, or one is not seen."""
        if layer is None or self.guard is None or self.also or not self.state.spares:
            return ()
        parts = self.canvas.engine.kinds[layer.kind].meant_for(layer)
        return parts if all(part in self.guard.parts for part in parts) else ()

    def off_its_parts(self, layer: Layer | None, x: float, y: float) -> tuple[str, ...]:
        """The zones that a layer is for, where a touch would reach none of them."""
        parts = self._meant_for(layer)
        inside = self.guard.only(parts) if parts else None
        return parts if inside is not None and not inside.reaches(x, y, self.state.brush.size_px / 2) else ()

    def kept_inside(self, stroke: Stroke, layer: Layer) -> Stroke:
        """The stroke with all it leaves out as its fence."""
        if self.also or not self.state.spares:
            self._reach_all.add(stroke.id)
        parts = self._meant_for(layer)
        if parts:
            return replace(stroke, fence=self.guard.only(parts, stroke.fence))
        if not self._works(stroke.tool, layer):
            return stroke
        within = stroke.bounds if stroke.by_outline and len(stroke.points) > 2 else None
        begun = None if self._strict(layer) else _begun(stroke)
        return replace(stroke, fence=self.guard.fence(within, from_place=begun, keepers=self.job.job.keepers(),
                                                      own=stroke.fence, smooths=TOOLS[stroke.tool].smooths))

    def off_contours(self, edit: Stroke, job: Job, stage_id: str, layer_id: str) -> tuple[Stroke | None, object]:
        """A Dab without the stretches of contours that it would take; (None, why) where that is all of it. One begun
        on a feature is for that, so none is judged before the guard can tell: contours may be known sooner.
        """
        guard = self.guard
        if edit.tool != "dab" or edit.id in self._reach_all or guard is None or guard.is_closed(*_begun(edit)):
            return edit, ""
        spared, why = harmless(self.canvas.engine, job, edit,
                               lambda one: AddEdits(stage_id, layer_id, (one,)).apply(job), keepers=False)
        if spared is None:
            return None, phrase("Nothing was laid down: %1. Take a smaller brush, or hold {also_parts}.", why)
        return spared, ""

    def here(self, tool: str, layer: Layer | None, x: float, y: float) -> bool:
        """True where nothing would be laid down by a stroke that goes over a place."""
        return self._works(tool, layer) and self._strict(layer) and self.guard.is_closed(x, y)

    def near(self, tool: str, layer: Layer | None, area: Rect, x: float, y: float) -> Fence | None:
        """What a stroke begun at a place would leave out of an area; None for nothing."""
        parts = self._meant_for(layer)
        if parts:
            return self.guard.only(parts)
        if not self._works(tool, layer):
            return None
        begun = None if self._strict(layer) else (x, y)
        return self.guard.fence(area, from_place=begun, keepers=self.job.job.keepers(), smooths=TOOLS[tool].smooths)


def _begun(stroke: Stroke) -> tuple[float, float]:
    """Where a stroke is for: of an outline its middle."""
    x, y = stroke.points[:, :2].mean(0) if stroke.by_outline else stroke.points[0, :2]
    return float(x), float(y)
