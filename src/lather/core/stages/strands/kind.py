"""Strands as a layer kind: hairs cleared along their path, and copies that only lighten or darken."""

from lather.core.job.model import Layer, Stroke
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.stages.strands.clear import clear_strand, strand_reach
from lather.core.types import EMPTY, Rect


class StrandsKind(MendKind):
    """Renders Strands layers: Mend's hand tools, and the strand."""

    id = "strands"
    method = MendKind.method + b" strands-5"

    def reads_of(self, layer: Layer, stroke: Stroke, bounds: Rect) -> tuple[Rect, Rect]:
        if stroke.tool != "strand":
            return super().reads_of(layer, stroke, bounds)
        return stroke.bounds.expand(strand_reach(stroke)).intersect(bounds), EMPTY

    def solve_edit(self, layer: Layer, stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
        if stroke.tool != "strand":
            return super().solve_edit(layer, stroke, read=read, original=original, bounds=bounds)
        return clear_strand(stroke, read=read, bounds=bounds)
