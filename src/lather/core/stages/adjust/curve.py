"""Curves through points: monotone, so that they never fold (Fritsch and Carlson 1980)."""

from functools import lru_cache

import numpy as np
import scipy

from lather.core.errors import RequestError
from lather.core.phrases import phrase

STRAIGHT = ((0.0, 0.0), (1.0, 1.0))
MOST_POINTS = 16
LEAST_APART = 0.01
_STEPS = 2048


def read_curve(value: object) -> tuple[tuple[float, float], ...]:
    """Points (in, out) of 0-1, rising. Raises RequestError, TypeError or ValueError for what is no curve."""
    points = tuple((float(x), float(y)) for x, y in value)
    if not 2 <= len(points) <= MOST_POINTS:
        raise RequestError(phrase("A curve of %1 points is none; it has 2 to %2.", len(points), MOST_POINTS))
    for x, y in points:
        if not (0 <= x <= 1 and 0 <= y <= 1):
            raise RequestError(phrase("A point of a curve at %1, %2 lies outside 0 to 1.", f"{x:g}", f"{y:g}"))
    for (x0, y0), (x1, y1) in zip(points, points[1:]):
        if x1 <= x0 or y1 < y0:
            raise RequestError("The points of a curve must rise from left to right.")
    return points


def is_straight(points: tuple[tuple[float, float], ...]) -> bool:
    """True for a curve that changes nothing."""
    return all(abs(x - y) < 1e-9 for x, y in points) and points[0][0] == 0 and points[-1][0] == 1


def held(points: list[tuple[float, float]], index: int, x: float, y: float) -> tuple[tuple[float, float], ...]:
    """The points with one moved as far as the curve still rises."""
    low_x = points[index - 1][0] + LEAST_APART if index else 0.0
    high_x = points[index + 1][0] - LEAST_APART if index + 1 < len(points) else 1.0
    low_y = points[index - 1][1] if index else 0.0
    high_y = points[index + 1][1] if index + 1 < len(points) else 1.0
    moved = (float(np.clip(x, low_x, max(low_x, high_x))), float(np.clip(y, low_y, high_y)))
    return (*points[:index], moved, *points[index + 1 :])


@lru_cache(maxsize=64)
def table(points: tuple[tuple[float, float], ...]) -> np.ndarray:
    """The curve at 0, 1/2048 … 1, float32; flat beyond its ends."""
    xs, ys = zip(*points)
    at = np.arange(_STEPS + 1) / _STEPS
    out = scipy.interpolate.PchipInterpolator(xs, ys)(np.clip(at, xs[0], xs[-1])).astype(np.float32)
    out.setflags(write=False)
    return out


def through(points: tuple[tuple[float, float], ...], values: np.ndarray) -> np.ndarray:
    """Values 0-1 through the curve; beyond 0-1 they go on as they are."""
    lut = table(points)
    at = np.clip(values, 0, 1) * _STEPS
    index = np.minimum(at.astype(np.int32), _STEPS - 1)
    out = lut[index] + (at - index) * (lut[index + 1] - lut[index])
    return (out + (values - np.clip(values, 0, 1))).astype(np.float32)
