"""The tone band under an adjustment, and the tone of what lies around it.

Both look only so far around a pixel, on grids fixed to the whole picture, so that tiles meet.
"""

from collections.abc import Callable

import cv2
import numpy as np

from lather.core.stages.adjust.pixels import to_lab
from lather.core.stages.base import Pixels
from lather.core.types import Lab, Mask, Rect

_CELLS = 3.0  # coarse pixels to the smallest sigma
_LEAST_CELLS, _CELL_SPREAD = 1.5, 0.2  # cells to a sigma at least; variance that cells add, in cells
_LEAST_WEIGHT = 0.06  # of a Gaussian's weight, from which what it says counts


def reach(sigma_px: float) -> int:
    """Level-0 pixels around a place that a Gaussian looks at."""
    return int(np.ceil(3 * sigma_px)) + 1


def tone_reach(width_px: float) -> int:
    """Level-0 pixels around a rectangle that `tone` reads."""
    return reach(width_px) + _cell(width_px)


def _cell(sigma: float) -> int:
    """Side in pixels of the cells that a Gaussian is worked out in."""
    return 1 << max(0, int(np.floor(np.log2(max(1.0, sigma / _LEAST_CELLS)))))


def tone(below: Pixels, rect: Rect, level: int, bounds: Rect, width_px: float) -> tuple[Lab, Lab]:
    """(Lab, Lab without what is finer than a Gaussian of `width_px` source pixels) of a rectangle of a level."""
    sigma = width_px / (1 << level)
    if sigma < 0.3:
        lab = to_lab(below(rect, level))
        return lab, lab
    cell, inside = _cell(sigma), bounds.at_level(level)
    wide = rect.expand(reach(sigma) + cell)
    wide = Rect(wide.x0 // cell * cell, wide.y0 // cell * cell, wide.x1, wide.y1).intersect(inside)
    lab = to_lab(below(wide, level))
    part = rect.slices(wide)
    return np.ascontiguousarray(lab[part]), np.ascontiguousarray(smooth(lab, sigma)[part])


def smooth(values: np.ndarray, sigma: float) -> np.ndarray:
    """Gaussian of (h, w, …), worked out in cells where it is wide; the first pixel begins a cell of the picture's grid.
    """
    cell = _cell(sigma)
    height, width = values.shape[:2]
    if cell > 1:
        full = cv2.copyMakeBorder(values, 0, -height % cell, 0, -width % cell, cv2.BORDER_REPLICATE)
        size = (full.shape[1] // cell, full.shape[0] // cell)
        small = cv2.resize(full, size, interpolation=cv2.INTER_AREA)
        fine = np.sqrt((sigma / cell) ** 2 - _CELL_SPREAD)
        side = (2 * reach(fine) + 1,) * 2
        small = cv2.GaussianBlur(small, side, fine, borderType=cv2.BORDER_REPLICATE)
        return cv2.resize(small, full.shape[1::-1], interpolation=cv2.INTER_LINEAR)[:height, :width]
    side = (2 * reach(sigma) + 1,) * 2
    return cv2.GaussianBlur(values, side, sigma, borderType=cv2.BORDER_REPLICATE)


def around_reach(widths_px: tuple[float, ...]) -> int:
    """Level-0 pixels around a rectangle that `tone_around` reads."""
    return reach(max(widths_px)) + 4 * (1 << coarse_level(widths_px))


def coarse_level(widths_px: tuple[float, ...]) -> int:
    """The level at which the finest of these widths still has enough pixels."""
    return max(0, int(np.floor(np.log2(max(1.0, min(widths_px) / _CELLS)))))


def tone_around(below: Pixels, weight: Callable[[Lab, Rect, int], Mask], rect: Rect, level: int, bounds: Rect,
                widths_px: tuple[float, ...]) -> tuple[Lab, Mask]:
    """(Lab, how much of it is known 0-1) of what lies around each pixel and counts, at a rectangle of a level.

    weight(lab, rect, level): how much a pixel counts. widths_px: Gaussian sigmas, narrow to wide: the narrowest that
    sees enough has the say (normalised convolution, Knutsson and Westin 1993, from fine to coarse).
    """
    coarse, wide = _coarse_rect(rect, level, bounds, widths_px)
    lab = to_lab(below(wide, coarse))
    counts = weight(lab, wide, coarse)[..., None]
    held = np.dstack([lab * counts, counts]).astype(np.float32)
    out, known = None, None
    for width in sorted(widths_px, reverse=True):
        sigma = width / (1 << coarse)
        side = 2 * reach(sigma) + 1
        blurred = cv2.GaussianBlur(held, (side, side), sigma, borderType=cv2.BORDER_REPLICATE)
        amount = blurred[..., 3:]
        here = blurred[..., :3] / np.maximum(amount, 1e-5)
        sure = np.clip(amount / _LEAST_WEIGHT, 0, 1) ** 2
        out = here if out is None else out + sure * (here - out)
        known = sure if known is None else np.maximum(known, sure)
    both = _drawn_finer(np.dstack([out, known]), wide, coarse, rect, level)
    return np.ascontiguousarray(both[..., :3]), both[..., 3]


def share_around(weight: Callable[[Rect, int], Mask], rect: Rect, level: int, bounds: Rect, width_px: float) -> Mask:
    """Share 0-1 of a mask around each pixel of a rectangle of a level, by a Gaussian: how far off its rim a place is.
    """
    coarse, wide = _coarse_rect(rect, level, bounds, (width_px,))
    sigma = width_px / (1 << coarse)
    side = 2 * reach(sigma) + 1
    blurred = cv2.GaussianBlur(weight(wide, coarse), (side, side), sigma, borderType=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(_drawn_finer(blurred, wide, coarse, rect, level))


def _coarse_rect(rect: Rect, level: int, bounds: Rect, widths_px: tuple[float, ...]) -> tuple[int, Rect]:
    """(the level that Gaussians of these widths are worked out at, the rectangle of it that they look at)."""
    coarse = max(level, coarse_level(widths_px))
    scale = 1 << (coarse - level)
    margin = reach(max(widths_px) / (1 << coarse)) + 2
    own = Rect(rect.x0 // scale, rect.y0 // scale, -(-rect.x1 // scale) + 1, -(-rect.y1 // scale) + 1)
    return coarse, own.expand(margin).intersect(bounds.at_level(coarse))


def _drawn_finer(values: np.ndarray, wide: Rect, coarse: int, rect: Rect, level: int) -> np.ndarray:
    """What is known of a rectangle of a coarse level, over one of a finer level that lies in it."""
    scale = 1 << (coarse - level)
    if scale == 1 and wide == rect:
        return values
    xs = ((np.arange(rect.x0, rect.x1) + 0.5) / scale - 0.5 - wide.x0).astype(np.float32)
    ys = ((np.arange(rect.y0, rect.y1) + 0.5) / scale - 0.5 - wide.y0).astype(np.float32)
    maps = np.meshgrid(xs, ys)
    return cv2.remap(values, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
