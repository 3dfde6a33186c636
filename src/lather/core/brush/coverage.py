"""Coverage of a whole edit: its touches or its outline, inside its fence."""

from typing import Protocol

import numpy as np

from lather.core.brush.outline import polygon_coverage
from lather.core.brush.stroke import rasterise
from lather.core.brush.values import Brush
from lather.core.types import Mask, Rect


class Painted(Protocol):
    """What of an edit decides where it lays down (see `job.model.Stroke`, which stands above brushes)."""

    points: np.ndarray
    touches: np.ndarray
    by_outline: bool
    feather_px: float
    brush: Brush
    fence: object


def stroke_coverage(stroke: Painted, rect: Rect) -> Mask:
    """Coverage 0-1 of a rectangle, float32 (h, w)."""
    if stroke.by_outline:
        coverage = polygon_coverage([stroke.points[:, :2]], rect, stroke.feather_px) * stroke.brush.ceiling
    else:
        coverage = rasterise(stroke.touches, rect, stroke.brush.edge)
    return fenced(coverage, stroke, rect)


def fenced(coverage: Mask, stroke: Painted, rect: Rect) -> Mask:
    """What of the coverage lies inside the stroke's fence."""
    return coverage if stroke.fence is None else coverage * stroke.fence.coverage(rect)


def cut(coverage: Mask, area: Rect, rect: Rect) -> Mask:
    """Coverage of any rectangle from an array over `area`; 0 outside."""
    inside = rect.intersect(area)
    if inside == rect:
        return coverage[rect.slices(area)]
    out = np.zeros((rect.height, rect.width), np.float32)
    if not inside.empty:
        out[inside.slices(rect)] = coverage[inside.slices(area)]
    return out
