"""Which edits lie at a place: strokes, mends, outlines, strands, of all stages that are on."""

import cv2
import numpy as np

from lather.core.job.model import Job, Stroke

Placed = tuple[str, str, Stroke]
"""(stage, layer, edit)."""


def edits_at(job: Job, x: float, y: float, *, reach: float = 0.0, first: str = "") -> list[Placed]:
    """The edits that a click means, the likeliest first: those of the stage `first`, then small ones before large ones
    (a spot's mend lies under an outline around half a face), then later ones before earlier ones.

    x, y: source px. reach: px beside an edit at which it is still meant.
    """
    found = [(stage.id, layer.id, edit) for stage in job.stages if stage.on for layer in stage.layers if layer.on
             for edit in layer.edits if _lies_at(edit, x, y, reach)]
    found.reverse()
    return sorted(found, key=lambda one: (one[0] != first, _size(one[2])))


def placed(job: Job, ids: list[str]) -> list[Placed]:
    """Edits by id, in that order; those that are gone are left out."""
    wanted = set(ids)
    there = {edit.id: (stage.id, layer.id, edit) for stage in job.stages for layer in stage.layers
             for edit in layer.edits if edit.id in wanted}
    return [there[one] for one in ids if one in there]


def _size(edit: Stroke) -> float:
    return edit.bounds.width * edit.bounds.height


def _lies_at(edit: Stroke, x: float, y: float, reach: float) -> bool:
    places = [(x, y)]
    if edit.mirror is not None:
        a, b, c, d, dx, dy = edit.mirror
        places.append((a * x + b * y + dx, c * x + d * y + dy))
    return any(_holds(edit, *place, reach) for place in places)


def _holds(edit: Stroke, x: float, y: float, reach: float) -> bool:
    box = edit.bounds.expand(int(np.ceil(reach)))
    if not (box.x0 <= x < box.x1 and box.y0 <= y < box.y1):  # first: it is asked of all edits at every move
        return False
    if edit.fence is not None and not edit.fence.reaches(x, y, max(reach, 1.0)):
        return False
    points = edit.points[:, :2]
    if edit.by_outline and len(points) > 2:
        return cv2.pointPolygonTest(points.reshape(-1, 1, 2).astype(np.float32), (float(x), float(y)), True) >= -reach
    touches = edit.touches
    if not len(touches):
        return bool(np.hypot(points[:, 0] - x, points[:, 1] - y).min() <= 0.5 * edit.brush.size_px + reach)
    return bool((np.hypot(touches[:, 0] - x, touches[:, 1] - y) <= touches[:, 2] + reach).any())
