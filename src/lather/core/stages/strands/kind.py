"""Strands as a layer kind: hairs cleared along their path, and copies that only lighten or darken."""

from dataclasses import replace

from lather.core.job.model import Layer, Stroke, freeze_points
from lather.core.stages.base import Finished, Painting
from lather.core.stages.mend.kind import MendKind
from lather.core.stages.patches.kind import Read
from lather.core.stages.patches.patch import Patch
from lather.core.stages.strands.clear import clear_strand, strand_reach
from lather.core.stages.strands.propose import snapped, strand_size
from lather.core.types import EMPTY, Rect

_NO_HAIR = "No hair under this line; paint along it, or take a larger brush."


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

    def finish(self, painting: Painting, stroke: Stroke, read: Read) -> Finished:
        """The painted path is laid on the hair under it."""
        if stroke.tool != "strand":
            return super().finish(painting, stroke, read)
        found = snapped(stroke.points[:, :2], stroke.brush.size_px, read, painting.around.bounds)
        if found is None:
            return Finished(None, 0.0, _NO_HAIR)
        path, width = found
        brush = replace(stroke.brush, size_px=strand_size(width))
        points = freeze_points([[x, y, 1.0, 0.0] for x, y in path])
        return Finished(replace(stroke, brush=brush, points=points), 1.0)
