"""Mend as a layer kind: heals, copies and drags, on the photo as it is."""

import numpy as np

from lather.core.job.model import Layer, Stroke
from lather.core.stages.mend.drag import DragState
from lather.core.stages.mend.heal import heal_reach
from lather.core.stages.mend.solve import solve_coverage, solve_stroke, texture_sigma, tone_reach
from lather.core.stages.patches.kind import PatchKind, Read
from lather.core.stages.patches.patch import Patch
from lather.core.types import Rect


class MendKind(PatchKind):
    """Renders Mend layers. Stages with the same hand tools build on it."""

    id = "mend"
    method = b"mend-6"  # a stage with these tools has it in its own

    def reads_of(self, layer: Layer, stroke: Stroke, bounds: Rect) -> tuple[Rect, Rect]:
        wide = heal_reach(stroke.bounds, stroke.brush.size_px) if stroke.heals else stroke.bounds
        wide = wide.expand(tone_reach(stroke))
        wide = wide.intersect(bounds)
        margin = int(np.ceil(3 * texture_sigma(stroke)))  # texture is told from tone by what is further around
        taken = stroke.source_rect(wide.expand(margin)).intersect(bounds)
        return wide, taken

    def solve_edit(self, layer: Layer, stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
        return solve_stroke(stroke, read=read, original=original, bounds=bounds)

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how):
        return solve_coverage(stroke, coverage_of, area, **how)

    def puller(self, layer: Layer, stroke: Stroke):
        return DragState(stroke) if stroke.tool == "drag" else None
