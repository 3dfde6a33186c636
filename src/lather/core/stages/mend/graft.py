"""Trying a graft before it is laid down: the job as it would be, and where the border does not fit."""

from dataclasses import dataclass, replace

import numpy as np

from lather.core.brush.coverage import cut, stroke_coverage
from lather.core.engine.engine import Engine
from lather.core.job.model import Job, Stroke
from lather.core.stages.mend.solve import solve_coverage


@dataclass(frozen=True)
class Trial:
    """job: with the graft on its layer. misfits: (n, 2) places of the border that do not fit; disagreement: share."""

    job: Job
    misfits: np.ndarray
    disagreement: float


def try_graft(engine: Engine, job: Job, layer_id: str, stroke: Stroke) -> Trial:
    """Solve a sourced graft on a layer as it is now."""
    stage = job.stage_of(layer_id)
    layer = stage.layer(layer_id)
    trial = job.with_layer(stage.id, replace(layer, edits=(*layer.edits, stroke)))
    bounds = engine.photo.bounds
    area = stroke.bounds.intersect(bounds)
    stack = engine.stack(trial)
    index = stack.position(layer_id)
    if index is None or area.empty:
        return Trial(trial, np.zeros((0, 2)), 0.0)
    kind, around = engine.kinds[layer.kind], stack.around(index)
    order = kind.order(around, stack.steps[index].layer)
    coverage = stroke_coverage(stroke, area)
    solved = solve_coverage(
        stroke,
        lambda rect: cut(coverage, area, rect),
        area,
        bounds=bounds,
        read=lambda rect: kind.before(around, order, len(layer.edits), rect),
        original=lambda rect: around.stage_input(rect, 0),
    )
    return Trial(trial, solved.misfits, solved.disagreement)
