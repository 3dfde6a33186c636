"""Values of adjustments that were measured, and are kept with the layer: colours and their spread."""

import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.phrases import phrase

_LAB = ranges.Range(-200.0, 200.0)
_LIGHTNESS = ranges.Range(0.0, 100.0)


def read_lab(value: object) -> tuple[float, float, float]:
    """A colour in Lab. Raises RequestError, TypeError or ValueError."""
    colour = tuple(float(one) for one in value)
    if len(colour) != 3:
        raise RequestError("A colour is three numbers, L*, a* and b*.")
    for one in colour:
        _LAB.check(one, "A colour's number")
    return colour


def read_lightness(value: object) -> float:
    """L*. Raises RequestError, TypeError or ValueError."""
    _LIGHTNESS.check(float(value), "A lightness")
    return float(value)


def read_spread(value: object) -> dict[str, tuple[float, float, float]]:
    """{"mean": Lab, "spread": Lab} of an area. Raises as `read_lab`, or KeyError."""
    return {name: read_lab(value[name]) for name in ("mean", "spread")}


def read_outline(value: object) -> dict:
    """{"zone": name} or {"outline": corners (x, y)}. Raises RequestError, TypeError, KeyError or ValueError."""
    if "zone" in value:
        return {"zone": str(value["zone"])[:64]}
    corners = np.array(value["outline"], float).reshape(-1, 2)
    if not 3 <= len(corners) <= ranges.MOST_CORNERS:
        raise RequestError(phrase("An outline of %1 corners is none.", len(corners)))
    ranges.check_places(corners, "A corner")
    return {"outline": corners.tolist()}


def moved_outline(value: dict, places) -> dict:
    """An area on another photo: a zone is found there by itself."""
    return value if "zone" in value else {"outline": places(np.array(value["outline"], float)).tolist()}


def read_offset(value: object) -> tuple[int, int]:
    """(dx, dy) whole pixels. Raises RequestError, TypeError or ValueError."""
    dx, dy = (int(one) for one in value)
    for one in (dx, dy):
        ranges.OFFSET_PX.check(one, "An offset")
    return dx, dy


def plain_lab(colour: np.ndarray) -> list[float]:
    """As a job keeps it."""
    return [round(float(one), 3) for one in colour]
