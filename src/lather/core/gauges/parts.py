"""Teeth and eye whites in both pictures: what their gauges share."""

import numpy as np

from lather.core.gauges.compared import Compared
from lather.core.measure.colours import body_colour

_TEETH, _EYE_WHITE = 3, 4


def teeth(pictures: Compared) -> tuple[np.ndarray, np.ndarray] | None:
    """Usual Lab (3,) of the teeth before and after; None where none are seen."""
    return _part(pictures, "teeth", _TEETH)


def eye_whites(pictures: Compared) -> tuple[np.ndarray, np.ndarray] | None:
    """Lab (3,) of the eye whites before and now; None where they are not seen."""
    return _part(pictures, "eye_whites", _EYE_WHITE)


def _part(pictures: Compared, zone: str, label: int) -> tuple[np.ndarray, np.ndarray] | None:
    seen = pictures.close_to_the_face
    if seen is None:
        return None
    mask = pictures.zone_close(zone, label)
    if mask is None:
        return None
    before = body_colour(seen[0], mask)
    if before is None:
        return None
    return before, body_colour(seen[1], mask)
