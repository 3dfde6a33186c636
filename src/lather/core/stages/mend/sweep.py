"""Sweep: low-opacity strokes along the form. Where to take from, which way to go, how wide the brush may be."""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.job.fence import Fence
from lather.core.types import EncodedRGB, Rect

_LOOK_SIZES = 3.0
_LEAST_LOOK_PX = 60
_WORK_SIDE = 96
_FORM_ENDS_DE = 0.055  # change of tone (encoded) across the form at which it ends
_SIZE_OF_FORM = 1 / 3
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class SweepHint:
    """direction: (x, y) unit vector along the form. size_px: a third of the form's width. offset: where to take."""

    direction: tuple[float, float]
    size_px: float
    offset: tuple[int, int]


def sweep_hint(
    read: Callable[[Rect], EncodedRGB], x: float, y: float, size_px: float, bounds: Rect
) -> SweepHint | None:
    """From the structure tensor of the tone band around a place (Bigün and Granlund 1987); None at the border."""
    reach = int(max(_LEAST_LOOK_PX, _LOOK_SIZES * size_px))
    window = Rect(int(x) - reach, int(y) - reach, int(x) + reach, int(y) + reach).intersect(bounds)
    if min(window.width, window.height) < 24:
        return None
    shrink = min(1.0, _WORK_SIDE / max(window.width, window.height))
    tone = cv2.resize(read(window) @ _LUMINANCE, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    tone = cv2.GaussianBlur(tone, (0, 0), 2.5)
    gx, gy = cv2.Sobel(tone, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(tone, cv2.CV_32F, 0, 1) / 8
    px, py = (x - window.x0) * shrink, (y - window.y0) * shrink
    ys, xs = np.mgrid[: tone.shape[0], : tone.shape[1]]
    weight = np.exp(-((xs - px) ** 2 + (ys - py) ** 2) / (2 * (0.18 * max(tone.shape)) ** 2))
    tensor = np.array(
        [[(weight * gx * gx).sum(), (weight * gx * gy).sum()], [(weight * gx * gy).sum(), (weight * gy * gy).sum()]]
    )
    _, vectors = np.linalg.eigh(tensor)
    along, across = vectors[:, 0], vectors[:, 1]
    width = sum(_until_it_ends(tone, px, py, side * across) for side in (-1, 1)) / shrink
    step = 1.1 * size_px * shrink
    here = _at(tone, px, py)
    ends = [(abs(_at(tone, px + s * step * along[0], py + s * step * along[1]) - here), s) for s in (-1, 1)]
    offset = np.round(min(ends)[1] * 1.1 * size_px * along).astype(int)
    return SweepHint(
        (float(along[0]), float(along[1])), float(max(8.0, width * _SIZE_OF_FORM)), (int(offset[0]), int(offset[1]))
    )


_PX_PER_SIZE = 10.0  # pixels of the level that many hints are read from, to a sweep's size
_TENSOR, _TAKEN = 1.08, 1.1  # sizes: over how far the form is told, and how far off is taken from


def sweep_hints(photo: Photo, fence: Fence, size_px: float, step_px: float) -> list[tuple[float, float, np.ndarray,
                                                                                        tuple[int, int]]]:
    """(x, y, unit vector along the form, offset to take from) of sweeps side by side over all that a fence encloses:
    what `sweep_hint` says of each place, told for all of them at once. Both ends lie inside the fence.
    """
    level = max(0, int(np.log2(max(1.0, size_px / _PX_PER_SIZE))))
    rect = fence.bounds.intersect(photo.bounds).at_level(level).intersect(photo.level_bounds(level))
    if rect.width < 4 or rect.height < 4:
        return []
    scale, size = 1 << level, size_px / (1 << level)
    tone = cv2.GaussianBlur(photo.read(rect, level) @ _LUMINANCE, (0, 0), max(0.6, 0.15 * size))
    gx, gy = cv2.Sobel(tone, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(tone, cv2.CV_32F, 0, 1) / 8
    xx, xy, yy = (cv2.GaussianBlur(part, (0, 0), _TENSOR * size) for part in (gx * gx, gx * gy, gy * gy))
    angle = 0.5 * np.arctan2(2 * xy, xx - yy) + np.float32(np.pi / 2)
    inside = cv2.fillPoly(np.zeros(tone.shape, np.uint8), [
        np.round(np.array(ring) / scale - (rect.x0, rect.y0)).astype(np.int32) for ring in fence.rings], 1)
    step, found = max(1.0, step_px / scale), []
    for y in np.arange(size / 2, tone.shape[0], step):
        for x in np.arange(size / 2, tone.shape[1], step):
            row, column = int(y), int(x)
            if not inside[row, column]:
                continue
            way = np.array([np.cos(angle[row, column]), np.sin(angle[row, column])], float)
            ends = [(x + sign * _TAKEN * size * way[0], y + sign * _TAKEN * size * way[1]) for sign in (-1, 1)]
            off = [abs(_at(tone, *end) - tone[row, column]) if _at(inside, *end) == 1 else np.inf for end in ends]
            best = int(np.argmin(off))
            if np.isfinite(off[best]):
                dx, dy = (round(scale * (a - b)) for a, b in zip(ends[best], (x, y)))
                if dx or dy:
                    found.append(((x + rect.x0) * scale, (y + rect.y0) * scale, way, (dx, dy)))
    return found


def _at(tone: np.ndarray, x: float, y: float) -> float:
    if not (0 <= x < tone.shape[1] and 0 <= y < tone.shape[0]):
        return 1e3
    return float(tone[int(y), int(x)])


def _until_it_ends(tone: np.ndarray, x: float, y: float, way: np.ndarray) -> float:
    here, far = _at(tone, x, y), 0.0
    while far < max(tone.shape):
        value = _at(tone, x + far * way[0], y + far * way[1])
        if abs(value - here) > _FORM_ENDS_DE:
            return far
        far += 1.0
    return far
