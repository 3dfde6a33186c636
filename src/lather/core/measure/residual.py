"""What is left of a softened find: its contrast now against its contrast in the photo."""

from collections.abc import Callable

import numpy as np

from lather.core.colour import profiles
from lather.core.job.finds import Find
from lather.core.types import EncodedRGB, Rect

_LEAST_CONTRAST = 0.5
_CORE, _RING = 0.6, (1.7, 3.0)  # half widths of the find away from its middle
_HOLLOW_ABOVE, _HOLLOW_RING = 0.3, (1.3, 1.7)  # of a hollow: how far up it is read, as lashes are near; skin below it
_HOLLOW_YELLOW = 2.0  # what b* counts beside L*: a face's own form darkens too, but takes no yellow away


def find_contrast(find: Find, pixels: Callable[[Rect], EncodedRGB], bounds: Rect, profile: bytes | None) -> float:
    """Signed change of L* from the skin on both sides into the find (for a spot: from the ring around it).

    A hollow under an eye is held against the skin just below it alone, as above it there are lashes, and in L* (of
    skin of L* 50) and b* together. pixels: of any rectangle inside `bounds`.
    """
    half = (find.width_px or find.size_px) / 2
    path = np.array(find.path if find.path is not None else [(find.x, find.y)], float)
    hollow = find.kind == "under_eye"
    if hollow:  # its ends fade out
        path = path[len(path) // 5 : len(path) - len(path) // 5]
    margin = int(3.2 * half) + 3
    rect = Rect(int(path[:, 0].min()) - margin, int(path[:, 1].min()) - margin,
                int(path[:, 0].max()) + margin, int(path[:, 1].max()) + margin).intersect(bounds)
    if rect.empty:
        return 0.0
    lab = profiles.to_lab(pixels(rect), profile)
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    distance, below = np.full(xs.shape, np.inf), np.zeros(xs.shape, bool)
    along = path[-1] - path[0]
    down = np.array([-along[1], along[0]]) * (1 if along[0] >= 0 else -1)
    for x, y in path:
        here = np.hypot(xs - x, ys - y)
        below = np.where(here < distance, (xs - x) * down[0] + (ys - y) * down[1] > 0, below)
        np.minimum(distance, here, out=distance)
    low, high = _HOLLOW_RING if hollow else _RING
    core, ring = distance < _CORE * half, (distance > low * half) & (distance < high * half)
    if hollow:
        core &= below | (distance < _HOLLOW_ABOVE * half)
        ring &= below
    if not core.any() or not ring.any():
        return 0.0
    inside, outside = (np.median(lab[where], axis=0) for where in (core, ring))
    change = inside - outside
    if hollow:
        return float(50 * change[0] / max(outside[0], 20.0) + _HOLLOW_YELLOW * change[2])
    return float(change[0])


def residual_share(before: float, now: float) -> float | None:
    """Share of the contrast that is left, 0-1 and more; None if it was not darker than its surroundings at first."""
    return None if before > -_LEAST_CONTRAST else float(max(0.0, now / before))
