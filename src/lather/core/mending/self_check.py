"""Whether an automatic mend made things better: the place then stands nearer to the skin around it than before."""

from collections.abc import Callable, Iterable

import cv2
import numpy as np

from lather.core.brush.coverage import stroke_coverage
from lather.core.colour import profiles
from lather.core.colour.gloss import gloss_mask, usual_skin
from lather.core.colour.lab import delta_e2000
from lather.core.job.finds import Find
from lather.core.job.model import Stroke
from lather.core.measure.residual import find_contrast
from lather.core.types import EncodedRGB, Lab, Rect

_MENDED, _RIM = 0.5, 0.02  # coverage: what counts as the place, and what as its surroundings
_AROUND, _LEAST_AROUND_PX = 0.8, 6  # sizes of the stroke looked at around it
_TONE_SHARE, _LEAST_TONE_PX = 0.12, 1.2  # sigma below which pores and grain count for nothing
_WORSE_DE, _SEEN_DE = 0.6, 2.5
_ODD_DE, _MORE_ODD_DE, _LESS_ODD_DE = 5.0, 1.0, 0.3
_QUANTILE = 90
_SAMPLES, _ITERATIONS = 120, 4
_IN_GLOSS, _MORE_GLOSS = 0.5, 0.1
_BELOW = 0.35  # of a hollow's width: what lies higher are lashes


def stands_off(
    find: Find, stroke: Stroke, pixels: Callable[[Rect], EncodedRGB], bounds: Rect, profile: bytes | None,
    others: Iterable[Find] = (),
) -> tuple[float, float]:
    """(how far the place's tone is from what the skin around it leads to expect, how far from whatever of it is most
    alike), ΔE00.

    The first goes by a smooth surface through the surroundings, of a hollow by its contrast to the skin below; the
    second is of that part of the place that is most unlike everything around: a patch of gloss laid into shade shows
    in it. others: finds that are no skin to compare with.
    """
    area = stroke.bounds.intersect(bounds)
    margin = max(_LEAST_AROUND_PX, int(_AROUND * min(area.width, area.height)))
    wide = area.expand(margin).intersect(bounds)
    coverage = stroke_coverage(stroke, wide)
    place, around = coverage > _MENDED, coverage < _RIM
    around &= ~_of_others(others, find, wide)
    if find.kind == "under_eye":
        around &= _below(find, wide)
    if not place.any() or around.sum() < _LEAST_AROUND_PX:
        return 0.0, 0.0
    lab = _tone(profiles.to_lab(pixels(wide), profile), max(_LEAST_TONE_PX, _TONE_SHARE * min(area.width, area.height)))
    at, beside = (_some(np.argwhere(where)) for where in (place, around))
    inside, outside = (lab[where[:, 0], where[:, 1]] for where in (at, beside))
    if find.kind == "under_eye":  # its surroundings lie on one side of it, so nothing can be laid through them
        off = abs(find_contrast(find, pixels, bounds, profile))
    else:
        off = float(np.median(delta_e2000(inside, _surface(beside, outside, at))))
    nearest = delta_e2000(inside[:, None], outside[None]).min(1)
    return off, float(np.percentile(nearest, _QUANTILE))


def lays_gloss(
    stroke: Stroke, before: Callable[[Rect], EncodedRGB], after: Callable[[Rect], EncodedRGB], bounds: Rect
) -> bool:
    """True if a mend brought gloss onto a place that had none, beside skin that for the most part has none."""
    area = stroke.bounds.intersect(bounds)
    wide = area.expand(max(_LEAST_AROUND_PX, int(_AROUND * min(area.width, area.height)))).intersect(bounds)
    coverage = stroke_coverage(stroke, wide)
    place, around = coverage > _MENDED, coverage < _RIM
    if not place.any() or not around.any():
        return False
    was = before(wide)
    usual = usual_skin(was[around | place])
    gloss = gloss_mask(was, *usual)
    if gloss[around].mean() > _IN_GLOSS:
        return False
    return bool(gloss_mask(after(wide), *usual)[place].mean() > gloss[place].mean() + _MORE_GLOSS)


def is_better(before: tuple[float, float], after: tuple[float, float]) -> bool:
    """True unless a mend leaves the place further from its surroundings, or unlike anything there."""
    further = after[0] > max(_SEEN_DE, before[0] + _WORSE_DE)
    if further and after[1] > before[1] - _LESS_ODD_DE:
        return False
    return after[1] < _ODD_DE or after[1] < before[1] + _MORE_ODD_DE


def _some(places: np.ndarray) -> np.ndarray:
    """At most so many places (n, 2), evenly chosen."""
    return places[np.linspace(0, len(places) - 1, min(len(places), _SAMPLES)).astype(int)]


def _surface(places: np.ndarray, values: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Values (m, 3) that a surface of the second degree through (n, 3) leads to at other places.

    What lies off it counts less (iteratively reweighted least squares, Holland and Welsch 1977).
    """
    middle, span = places.mean(0), max(1.0, float(np.ptp(places)))

    def terms(where: np.ndarray) -> np.ndarray:
        y, x = ((where - middle) / span).T
        return np.column_stack([np.ones(len(x)), y, x, y * y, x * y, x * x])

    basis, wanted = terms(places), terms(at)
    weight = np.ones(len(places))
    for _ in range(_ITERATIONS):
        root = np.sqrt(weight)[:, None]
        shape = np.linalg.lstsq(basis * root, values * root, rcond=None)[0]
        rest = np.linalg.norm(values - basis @ shape, axis=1)
        weight = 1 / (1 + (rest / max(1.0, float(np.median(rest)))) ** 2)
    return wanted @ shape


def _tone(lab: Lab, sigma: float) -> Lab:
    return cv2.GaussianBlur(np.ascontiguousarray(lab, np.float32), (0, 0), sigma)


def _of_others(others: Iterable[Find], find: Find, rect: Rect) -> np.ndarray:
    """True (h, w) on other finds."""
    mask = np.zeros((rect.height, rect.width), np.uint8)
    for other in others:
        if other.id == find.id:
            continue
        if other.path is None:
            centre = round(other.x - rect.x0), round(other.y - rect.y0)
            cv2.circle(mask, centre, max(1, round(0.6 * other.size_px)), 1, -1)
        else:
            points = np.round(np.array(other.path) - (rect.x0, rect.y0)).astype(np.int32)
            cv2.polylines(mask, [points], False, 1, max(2, round(1.4 * (other.width_px or 2))))
    return mask > 0


def _below(find: Find, rect: Rect) -> np.ndarray:
    """True (h, w) on the cheek's side of a hollow."""
    path = np.array(find.path)
    along = path[-1] - path[0]
    down = np.array([-along[1], along[0]]) / max(float(np.hypot(*along)), 1e-6)
    down = down if down[1] > 0 else -down
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1]
    middle = path.mean(0)
    return (xs - middle[0]) * down[0] + (ys - middle[1]) * down[1] > _BELOW * (find.width_px or 1.0)
