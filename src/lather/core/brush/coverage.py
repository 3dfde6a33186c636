"""Coverage of a whole edit: its touches or its outline, inside its fence."""

from lather.core.brush.stroke import rasterise
from lather.core.job.fence import polygon_coverage
from lather.core.job.model import Stroke
from lather.core.types import Mask, Rect


def stroke_coverage(stroke: Stroke, rect: Rect) -> Mask:
    """Coverage 0-1 of a rectangle, float32 (h, w)."""
    if stroke.by_outline:
        coverage = polygon_coverage([stroke.points[:, :2]], rect, stroke.feather_px) * stroke.brush.ceiling
    else:
        coverage = rasterise(stroke.touches, rect, stroke.brush.edge)
    return fenced(coverage, stroke, rect)


def fenced(coverage: Mask, stroke: Stroke, rect: Rect) -> Mask:
    """What of the coverage lies inside the stroke's fence."""
    return coverage if stroke.fence is None else coverage * stroke.fence.coverage(rect)
