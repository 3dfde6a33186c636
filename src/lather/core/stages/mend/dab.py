"""Dab: one touch on a spot; the skin to use is searched for nearby and kept in the edit as its offset."""

from collections.abc import Iterable
from dataclasses import replace

from lather.core.brush.coverage import stroke_coverage
from lather.core.brush.values import Brush
from lather.core.engine.engine import Engine
from lather.core.job.finds import Find
from lather.core.job.model import Job, Stroke, freeze_points, new_id
from lather.core.stages.mend.source_search import Candidate, find_sources
from lather.core.types import Rect

_NEARBY_SIZES = 6


def dab_stroke(
    x: float, y: float, size_px: float, *, edge: float = 0.15, ceiling: float = 1.0, note: str = "", path=None,
    find: str = "", purpose: str = "",
) -> Stroke:
    """An unsourced Dab: one touch at full flow, or touches along a path (n, 2)."""
    brush = Brush(size_px=size_px, edge=edge, ceiling=ceiling, flow=1.0)
    points = [[x, y, 1.0, 0.0]] if path is None else [[a, b, 1.0, 0.01 * i] for i, (a, b) in enumerate(path)]
    return Stroke(new_id(), "dab", brush, freeze_points(points), note=note, find=find, purpose=purpose)


def source_candidates(engine: Engine, job: Job, layer_id: str, stroke: Stroke, *, most: int = 8,
                      avoid: Iterable[Find] = ()) -> list[Candidate]:
    """Ranked sources for a Dab on a layer, read from the layer as it is now.

    avoid: finds whose skin is no good to take. Empty if the stroke lies outside the picture or nothing near it would
    do.
    """
    bounds = engine.photo.bounds
    area = stroke.bounds.intersect(bounds)
    if area.empty:
        return []
    flaws = _finds_nearby(avoid, stroke, area)
    stage = job.stage_of(layer_id)
    layer = stage.layer(layer_id)
    held = job.with_layer(stage.id, replace(layer, on=True, strength=1.0, edits=(*layer.edits, stroke)))
    stack = engine.stack(held)
    index = stack.position(layer_id)
    if index is None:  # the stage itself is off: search on what lies beneath
        return find_sources(
            stroke_coverage(stroke, area), area,
            read=lambda rect: engine.photo.read(rect), bounds=bounds, flaws=flaws, most=most,
        )
    kind, around = engine.kinds[layer.kind], stack.around(index)
    order = kind.order(around, stack.steps[index].layer)
    return find_sources(
        stroke_coverage(stroke, area), area,
        read=lambda rect: kind.before(around, order, len(layer.edits), rect), bounds=bounds,
        used=_used_nearby(job, area), flaws=flaws, most=most,
    )


def _finds_nearby(finds: Iterable[Find], stroke: Stroke, area: Rect) -> list[Rect]:
    """Boxes of other finds near the area."""
    near = area.expand(_NEARBY_SIZES * max(area.width, area.height))
    boxes = []
    for find in finds:
        if find.id != stroke.find and find.path is None:
            half = 0.5 * find.size_px
            box = Rect(int(find.x - half), int(find.y - half), int(find.x + half) + 1, int(find.y + half) + 1)
            if not box.intersect(near).empty:
                boxes.append(box)
    return boxes


def _used_nearby(job: Job, area: Rect) -> list[Rect]:
    """Places that earlier edits took their skin from, near the area."""
    near = area.expand(_NEARBY_SIZES * max(area.width, area.height))
    used = []
    for layer in (layer for stage in job.stages for layer in stage.layers):
        for edit in layer.edits:
            if edit.offset is not None:
                rect = edit.source_rect(edit.bounds)
                if not rect.intersect(near).empty:
                    used.append(rect)
    return used


def with_source(stroke: Stroke, candidates: list[Candidate]) -> Stroke | None:
    """The Dab with its best source, or None if there is none."""
    return replace(stroke, offset=candidates[0].offset) if candidates else None
