"""Drawn marks (tattoos, henna, drawn make-up) in the way of mends: never laid over, never taken from.

A mark is what lies inside its outline, and a margin around it for what looks wider than it paints.
"""

from collections.abc import Sequence

import cv2
import numpy as np

from lather.core.job.finds import Find
from lather.core.job.model import Job, Stroke
from lather.core.types import Rect

BY_HAND = "outlined-"
"""How the ids of finds begin that a person outlined: they outlast looking anew."""
_GRID = 160  # cells along the longer side of what is drawn to grow an outline
Ring = tuple[tuple[float, float], ...]


def outlined(points: Sequence[tuple[float, float]]) -> Find:
    """A drawn mark that a person outlined, corners in source px."""
    corners = np.array(points, float)
    x, y = corners.mean(0)
    size = float(np.sqrt(max(cv2.contourArea(corners.astype(np.float32)), 1.0) * 4 / np.pi))
    return Find(f"{BY_HAND}drawn_mark-{x:.0f}-{y:.0f}", "drawn_mark", float(x), float(y), size, 10.0, 1.0, "skin", True,
                True, tuple((float(a), float(b)) for a, b in corners))


def drawn_marks(job: Job) -> tuple[Find, ...]:
    """Drawn marks of a job that are to stay."""
    return tuple(find for find in job.keepers() if find.kind == "drawn_mark")


def grown(find: Find, margin_px: float) -> Ring:
    """The outline of a mark with a margin around it."""
    corners = np.array(find.outline, float)
    low, high = corners.min(0) - margin_px - 2, corners.max(0) + margin_px + 2
    cell = max(float((high - low).max()) / _GRID, 0.5)
    width, height = (int(n) + 2 for n in (high - low) / cell)
    inside = np.zeros((height, width), np.uint8)
    cv2.fillPoly(inside, [np.round((corners - low) / cell * 16).astype(np.int32)], 1, shift=4)
    away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5)
    contours, _ = cv2.findContours((away <= margin_px / cell).astype(np.uint8), cv2.RETR_EXTERNAL,
                                   cv2.CHAIN_APPROX_SIMPLE)
    rim = max(contours, key=cv2.contourArea)[:, 0]
    return tuple((float(x), float(y)) for x, y in (rim + 0.5) * cell + low)


def within(find: Find, x: float, y: float, margin_px: float = 0.0) -> bool:
    """True on a mark, or nearer to it than a margin."""
    away = cv2.pointPolygonTest(np.array(find.outline, np.float32), (float(x), float(y)), True)
    return away >= -margin_px


def lies_on(marks: Sequence[Find], find: Find) -> bool:
    """True of another find that lies on a mark, or a third of whose line does."""
    places = find.path if find.path is not None else ((find.x, find.y),)
    return any(mark.id != find.id and sum(within(mark, x, y) for x, y in places) > len(places) / 3 for mark in marks)


def reaches(marks: Sequence[Find], stroke: Stroke) -> bool:
    """True if what a stroke lays down, or where it takes it from, comes upon a mark."""
    if not marks:
        return False
    offsets = [(0, 0)]
    if stroke.offset is not None and any(stroke.offset):
        offsets.append(stroke.offset)
    boxes = [stroke.bounds.shift(*offset) for offset in offsets]
    points, half = np.asarray(stroke.points)[:, :2], 0.5 * stroke.brush.size_px
    for mark in marks:
        corners = np.array(mark.outline)
        low, high = corners.min(0), corners.max(0)
        around = Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)
        if all(around.intersect(box).empty for box in boxes):
            continue
        for dx, dy in offsets:
            if any(within(mark, x + dx, y + dy, half) for x, y in points):
                return True
        if len(points) > 2 and stroke.feather:  # an outline: what lies inside it
            rim = np.array(points, np.float32)
            if any(cv2.pointPolygonTest(rim, (float(x), float(y)), False) >= 0 for x, y in corners):
                return True
    return False


def clipped(ring: Ring, rect: Rect) -> Ring:
    """A ring kept inside a rectangle: rings are even-odd, and a hole that leaves its rim would open it there."""
    return tuple((min(max(x, rect.x0), rect.x1), min(max(y, rect.y0), rect.y1)) for x, y in ring)
