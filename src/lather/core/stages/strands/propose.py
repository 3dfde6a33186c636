"""The strand proposed for a hair that was found, or painted along by hand."""

import cv2
import numpy as np

from lather.core.brush.values import Brush
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.stages.patches.kind import Read
from lather.core.types import Rect

_WIDTHS, _MORE_PX = 1.25, 3.2  # of the width at half height: the hair's soft rim goes as well
_LEAST_PX, _MOST_PX = 3.5, 60.0
_SNAP_SIZES = 0.75
_STEP_PX = 2.0
_BEND_COST = 0.35  # per px that the path moves sideways from one step to the next, in units of the usual contrast
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def strand_size(width_px: float) -> float:
    """Width of the band that takes a hair of this width (at half height) away, px."""
    return float(np.clip(_WIDTHS * width_px + _MORE_PX, _LEAST_PX, _MOST_PX))


def strand_stroke(path, width_px: float, *, find: str = "", note: str = "stray hair",
                  purpose: str = "") -> Stroke:
    """A strand edit along a path (n, 2) from tip to root."""
    points = [[x, y, 1.0, 0.01 * i] for i, (x, y) in enumerate(path)]
    brush = Brush(size_px=strand_size(width_px), edge=0.0)
    return Stroke(new_id(), "strand", brush, freeze_points(points), note=note, find=find, purpose=purpose)


def snapped(points: np.ndarray, size_px: float, read: Read, bounds: Rect) -> tuple[np.ndarray, float] | None:
    """A path painted roughly along a hair, laid on it: (points (n, 2), width px); None where there is no hair.

    The way of most contrast across the painted path, at most 0.75 sizes aside, that bends least (dynamic
    programming, as for active contours: Amini et al. 1990). points: float (n, 2).
    """
    path = _even(points)
    if len(path) < 3:
        return None
    reach = max(3.0, _SNAP_SIZES * size_px)
    window = _around(path, int(reach) + 12).intersect(bounds)
    if window.width < 8 or window.height < 8:
        return None
    light = cv2.GaussianBlur(read(window) @ _LUMINANCE, (0, 0), 0.7)
    way = np.gradient(path, axis=0)
    side = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    offsets = np.arange(-reach - 8, reach + 8.01, 0.5)
    grid = path[:, None] + offsets[None, :, None] * side[:, None] - (window.x0 + 0.5, window.y0 + 0.5)
    grid = grid.astype(np.float32)
    across = cv2.remap(light, grid[..., 0], grid[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    contrast = np.abs(across - cv2.blur(across, (13, 1), borderType=cv2.BORDER_REPLICATE))
    contrast = cv2.blur(contrast, (1, 5), borderType=cv2.BORDER_REPLICATE)
    inside = np.abs(offsets) <= reach
    usual = float(np.median(contrast)) + 1e-4
    chosen = _best_way(contrast[:, inside] / usual)
    gain = contrast[:, inside][np.arange(len(path)), chosen]
    if float(np.median(gain)) < 2.5 * usual:
        return None
    moved = path + offsets[inside][chosen][:, None] * side
    profile = np.abs(np.median([np.interp(offsets, offsets - offsets[inside][c], row)
                                for c, row in zip(chosen, across)], axis=0))
    away = np.abs(profile - np.median(profile))
    near = np.abs(offsets) < 5
    width = 0.5 * float((away[near] > 0.5 * away[near].max()).sum())
    return moved, max(1.0, width)


def _even(points: np.ndarray) -> np.ndarray:
    """The path at even steps of 2 px."""
    points = np.asarray(points, float)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.linspace(0, along[-1], max(2, int(along[-1] / _STEP_PX) + 1))
    return np.stack([np.interp(at, along, points[:, i]) for i in (0, 1)], 1)


def _around(path: np.ndarray, margin: int) -> Rect:
    low, high = np.floor(path.min(0)).astype(int), np.ceil(path.max(0)).astype(int)
    return Rect(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).expand(margin)


def _best_way(gain: np.ndarray) -> np.ndarray:
    """Column of every row (n, k): largest sum of gains less what sideways steps of up to 2 columns cost."""
    rows, columns = gain.shape
    total, came = gain[0].copy(), np.zeros((rows, columns), int)
    for row in range(1, rows):
        options = np.full((5, columns), -np.inf)
        for n, shift in enumerate((-2, -1, 0, 1, 2)):
            source = np.arange(columns) + shift
            valid = (source >= 0) & (source < columns)
            options[n, valid] = total[source[valid]] - _BEND_COST * abs(shift)
        best = options.argmax(0)
        came[row] = np.clip(np.arange(columns) + best - 2, 0, columns - 1)
        total = options.max(0) + gain[row]
    way = np.empty(rows, int)
    way[-1] = int(total.argmax())
    for row in range(rows - 1, 0, -1):
        way[row - 1] = came[row, way[row]]
    return way
