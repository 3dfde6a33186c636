"""A bump of the hairdo pushed in to its smooth outline: a stroke of Shape, on a layer of its own."""

import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.agreements import denied
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.finds import Find
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.job.purpose import of_find
from lather.core.phrases import phrase

NOT_AGREED = phrase("no reshaping was agreed")
_NAME = "Hairdo"
_TIMES, _SIZES = 1.1, 2.0  # of its height, as what is pushed goes with the pen less than wholly; of its length
_LEAST_PX, _MOST_PX = 12.0, 1600.0


def bump_command(job: Job, find: Find) -> Command | None:
    """One undoable step that pushes a bump in; None where reshaping was denied, or nothing says which way is in."""
    if denied(job.brief, "reshaping"):
        return None
    try:
        inward = np.array(find.extra["inward"], float).reshape(2)
    except (KeyError, TypeError, ValueError):
        return None
    if not np.isfinite(inward).all() or np.hypot(*inward) < 0.5:
        return None
    size = float(np.clip(_SIZES * find.size_px, _LEAST_PX, _MOST_PX))
    ends = np.array([(find.x, find.y), np.array((find.x, find.y)) + _TIMES * inward])
    points = freeze_points([[x, y, 1.0, 0.05 * n] for n, (x, y) in enumerate(ends)])
    stroke = Stroke(new_id(), "push", Brush(size_px=size, edge=1.0), points, note=find.label.lower(), find=find.id,
                    purpose=of_find(find.kind), order=_next_order(job))
    stage = job.stage("shape")
    layer = next((one for one in stage.layers if one.name == _NAME), None)
    if layer is not None:
        return AddEdits("shape", layer.id, (stroke,))
    layer = Layer(new_id(), _NAME, "shape")
    make = AddLayer("shape", layer, len(stage.layers))
    return Together(phrase("push a bump in"), (make, AddEdits("shape", layer.id, (stroke,))))


def _next_order(job: Job) -> int:
    return 1 + max((edit.order for layer in job.stage("shape").layers for edit in layer.edits), default=0)
