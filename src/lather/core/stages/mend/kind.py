"""Mend as a layer kind: heals, copies and drags, on the photo as it is."""

from dataclasses import replace

import numpy as np

from lather.core.engine.engine import Engine
from lather.core.job.model import Job, Layer, Stroke
from lather.core.stages.base import Finished, Painting
from lather.core.stages.mend.dab import source_candidates
from lather.core.stages.mend.drag import DragState
from lather.core.stages.mend.heal import heal_reach
from lather.core.stages.mend.solve import solve_coverage, solve_stroke, texture_sigma, tone_reach
from lather.core.stages.mend.sweep import sweep_hint
from lather.core.stages.patches.kind import PatchKind, Read
from lather.core.stages.patches.patch import Patch
from lather.core.stages.patches.solved import Solved
from lather.core.types import Rect

_NO_SKIN = "No fitting skin near enough; choose it yourself with Carry."


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

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how) -> Solved:
        return solve_coverage(stroke, coverage_of, area, **how)

    def puller(self, layer: Layer, stroke: Stroke):
        """What pulls pixels along under the pen, of a Drag; else None."""
        return DragState(stroke) if stroke.tool == "drag" else None

    def begun(self, engine: Engine, job: Job, stage_id: str, stroke: Stroke) -> Stroke:
        """A sweep takes its skin from where the form goes at its first touch."""
        if stroke.tool != "sweep" or stroke.offset is not None:
            return stroke
        x, y = (float(v) for v in stroke.points[0, :2])
        size = stroke.brush.size_px
        hint = sweep_hint(lambda rect: engine.pixels(job, rect, 0, stage_id), x, y, size, engine.photo.bounds)
        return replace(stroke, offset=hint.offset if hint else (round(size), 0))

    def finish(self, painting: Painting, stroke: Stroke, read: Read) -> Finished:
        """A Dab looks for the skin it uses when the pen is lifted."""
        if stroke.tool != "dab":
            return Finished(stroke)
        job = painting.job
        found = source_candidates(painting.engine, job, painting.layer_id, stroke, avoid=job.finds or ())
        if not found:
            return Finished(None, 0.0, _NO_SKIN)
        return Finished(replace(stroke, offset=found[0].offset), found[0].fit)
