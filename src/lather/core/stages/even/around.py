"""How much light a place needs by its own surroundings: the light around it, spread smoothly over it."""

import cv2
import numpy as np

from lather.core.brush.coverage import stroke_coverage
from lather.core.job.model import Stroke
from lather.core.levels import halve
from lather.core.loops import loop
from lather.core.stages.light.cells import Field, Grid
from lather.core.stages.light.needed import BARE, LIGHT
from lather.core.types import Mask, Rect

_REACHED = 0.02  # coverage over the most from which a point belongs to the place
_RING = 4  # points around it that say how light it should be
_LEAST_RING = 8  # of them on bare skin
_MOST = 0.3  # natural logarithm
_SMOOTH_RING, _SMOOTH_OWN = 1.5, 0.8  # points
_ROUNDS, _OVER = 240, 1.9  # successive over-relaxation (Young 1954)


def reach_of(bounds: Rect, grid: Grid) -> Rect:
    """Level-0 pixels that say how light a place in `bounds` should be."""
    return bounds.expand(int(np.ceil((_RING + 6) * grid.px)))


def coverage_on_grid(coverage: Mask, rect: Rect, field: Field) -> Mask:
    """Coverage of a level-0 rectangle at the points of a field."""
    level = max(0, int(np.floor(np.log2(field.px))))
    for _ in range(level):
        coverage = halve(coverage)
    held = Field(np.ascontiguousarray(coverage), (rect.x0, rect.y0), float(1 << level))
    x, y = (np.array(field.origin) - (rect.x0, rect.y0)) / held.px
    scale = field.px / held.px
    matrix = np.float64([[scale, 0, x + 0.5 * scale - 0.5], [0, scale, y + 0.5 * scale - 0.5]])
    return cv2.warpAffine(held.values, matrix, field.values.shape[1::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def edit_on_grid(stroke: Stroke, field: Field, bounds: Rect) -> Mask:
    """Coverage of a whole edit at the points of a field."""
    rect = stroke.bounds.intersect(bounds)
    if rect.empty:
        return np.zeros(field.values.shape[:2], np.float32)
    return coverage_on_grid(stroke_coverage(stroke, rect), rect, field)


def needed_around(coverage: Mask, field: Field) -> Field:
    """Light missing (natural logarithm) at each point that `coverage` reaches, 0 elsewhere. field: channels of
    `NeededLight.over` around the place.

    The light of the skin around is spread over the place as a membrane (Laplace's equation), so that the form goes on
    through it; where no bare skin is around, nothing is needed.
    """
    light, bare = field.values[..., LIGHT], field.values[..., BARE]
    inside = cv2.dilate((coverage > _REACHED * max(float(coverage.max()), 1e-6)).astype(np.uint8), np.ones((3, 3)))
    near = cv2.dilate(inside, np.ones((2 * _RING + 1,) * 2, np.uint8))
    ring = ((near > 0) & (inside == 0) & (bare > 0.5)).astype(np.uint8)
    out = np.zeros(light.shape, np.float32)
    if int(ring.sum()) >= _LEAST_RING and inside.any():
        target = _inside_mean(light, bare * (inside == 0), _SMOOTH_RING)
        weight = ring.astype(np.float32)
        start = _inside_mean(target, weight, max(3.0, 0.25 * max(np.ptp(np.argwhere(inside), axis=0))))
        spread = np.where(ring > 0, target, start).astype(np.float32)
        _relax(spread, inside, ring, _ROUNDS, np.float32(_OVER))
        own = _inside_mean(light, np.maximum(bare, 1e-3), _SMOOTH_OWN)
        out = np.where(inside > 0, np.clip(spread - own, -_MOST, _MOST) * bare, 0).astype(np.float32)
    return Field(out, field.origin, field.px)


def _inside_mean(values: np.ndarray, weight: np.ndarray, sigma: float) -> np.ndarray:
    weight = np.ascontiguousarray(weight, np.float32)
    total = cv2.GaussianBlur(weight, (0, 0), sigma)
    return cv2.GaussianBlur(values * weight, (0, 0), sigma) / np.maximum(total, 1e-4)


@loop("f4[:, ::1], u1[:, ::1], u1[:, ::1], i8, f4")
def _relax(values, inside, ring, rounds, over):  # pragma: no cover - compiled
    height, width = values.shape
    for _ in range(rounds):
        for y in range(height):
            for x in range(width):
                if inside[y, x] == 0:
                    continue
                total, count = np.float32(0), np.float32(0)
                for dy, dx in ((-1, 0), (1, 0), (0, -1), (0, 1)):
                    v, u = y + dy, x + dx
                    if 0 <= v < height and 0 <= u < width and (inside[v, u] or ring[v, u]):
                        total += values[v, u]
                        count += 1
                if count > 0:
                    values[y, x] += over * (total / count - values[y, x])
