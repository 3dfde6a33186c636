"""Where a proposed mend may take its tone from, and what it leaves alone: no gloss, no keeper inside it."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from lather.core.brush.coverage import stroke_coverage
from lather.core.colour.gloss import gloss_mask, usual_skin
from lather.core.engine.engine import Engine
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.model import Job, Stroke

_LAID = 0.05  # coverage from which a place counts
_MOST_GLOSS = 0.02  # share of gloss in what is taken, over that of the place itself
_TURNS_DEG = (0, -30, 30, -55, 55, -80, 80)
_NEARER = (1.0, 0.75, 0.55)
_KEEPER_ROOM, _KEEPER_MORE_PX, _CORNERS = 1.2, 2.0, 20
_FEATHER_PX = 1.5
_SMALLER = 0.8  # of a find: a keeper of its own size is the find itself


def without_gloss(engine: Engine, job: Job, stroke: Stroke) -> Stroke | None:
    """A copy that takes its tone from skin without gloss: as proposed, else turned aside or nearer; None if none is.

    Where the place itself is gloss, as much of it may be taken.
    """
    bounds = engine.photo.bounds
    area = stroke.bounds.intersect(bounds)
    if area.empty or stroke.offset is None:
        return stroke
    reach = area.expand(int(np.hypot(*stroke.offset)) + 2).intersect(bounds)
    pixels = engine.pixels(job, reach)
    laid = stroke_coverage(stroke, area) > _LAID
    gloss = gloss_mask(pixels, *usual_skin(pixels[area.slices(reach)][laid] if laid.any() else pixels))
    allowed = _share(gloss[area.slices(reach)], laid) + _MOST_GLOSS
    for times in _NEARER:
        for degrees in _TURNS_DEG:
            offset = _turned(stroke.offset, degrees, times)
            taken = area.shift(*offset)
            if reach.contains(taken) and _share(gloss[taken.slices(reach)], laid) <= allowed:
                return replace(stroke, offset=offset)
    return None


def _share(mask: np.ndarray, where: np.ndarray) -> float:
    return float(mask[where].mean()) if where.any() else 0.0


def _turned(offset: tuple[int, int], degrees: float, times: float) -> tuple[int, int]:
    cos, sin = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    x, y = offset
    return round(times * (cos * x - sin * y)), round(times * (sin * x + cos * y))


def sparing(keepers: Iterable[Find], find: Find, stroke: Stroke) -> Stroke:
    """The stroke with holes in its fence where smaller keepers lie inside it: a freckle in a hollow stays."""
    area = stroke.bounds
    holes = []
    for keeper in keepers:
        inside = area.x0 < keeper.x < area.x1 and area.y0 < keeper.y < area.y1
        if keeper.id == find.id or not inside or keeper.size_px > _SMALLER * max(find.size_px, find.width_px or 0):
            continue
        radius = 0.5 * _KEEPER_ROOM * keeper.size_px + _KEEPER_MORE_PX
        if stroke.fence is not None:  # rings are even-odd: a hole that leaves the fence would open it there
            radius = min(radius, _room_in(stroke.fence, keeper.x, keeper.y))
        if radius > 1:
            holes.append(circle(keeper.x, keeper.y, radius))
    return with_holes(stroke, holes)


def with_holes(stroke: Stroke, holes: Sequence[tuple[tuple[float, float], ...]]) -> Stroke:
    """The stroke with rings left out of it."""
    if not holes:
        return stroke
    area = stroke.bounds
    if stroke.fence is not None:
        return replace(stroke, fence=replace(stroke.fence, rings=(*stroke.fence.rings, *holes)))
    wide = area.expand(int(_FEATHER_PX) + 3)
    rim = ((wide.x0, wide.y0), (wide.x1, wide.y0), (wide.x1, wide.y1), (wide.x0, wide.y1))
    outer = tuple((float(x), float(y)) for x, y in rim)
    return replace(stroke, fence=Fence((outer, *holes), _FEATHER_PX))


def circle(x: float, y: float, radius: float) -> tuple[tuple[float, float], ...]:
    """Corners of a ring around a place."""
    turns = np.linspace(0, 2 * np.pi, _CORNERS, endpoint=False)
    return tuple((float(x + radius * np.cos(t)), float(y + radius * np.sin(t))) for t in turns)


def _room_in(fence: Fence, x: float, y: float) -> float:
    """Distance from a place to the fence's rim; 0 outside it."""
    if not fence.reaches(x, y, 0.5):
        return 0.0
    nearest = np.inf
    for ring in fence.rings:
        a = np.array(ring, float)
        way = np.roll(a, -1, axis=0) - a
        along = ((x - a[:, 0]) * way[:, 0] + (y - a[:, 1]) * way[:, 1]) / np.maximum((way**2).sum(1), 1e-9)
        at = a + np.clip(along, 0, 1)[:, None] * way
        nearest = min(nearest, float(np.hypot(at[:, 0] - x, at[:, 1] - y).min()))
    return nearest - 0.5
