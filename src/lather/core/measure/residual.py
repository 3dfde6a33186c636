"""What is left of a softened find: its contrast now against its contrast in the photo."""

from collections.abc import Callable

import numpy as np

from lather.core.colour import profiles
from lather.core.job.finds import Find
from lather.core.types import EncodedRGB, Rect

_LEAST_CONTRAST = 0.5
_RING, _RING_BELOW = (1.7, 3.0), (1.2, 2.0)  # half widths of the find away from its middle


def find_contrast(find: Find, pixels: Callable[[Rect], EncodedRGB], bounds: Rect, profile: bytes | None) -> float:
    """Signed change of L* from the skin on both sides into the find (for a spot: from the ring around it).

    A hollow under an eye is held against the skin just below it alone: above it there are lashes. pixels: of any
    rectangle inside `bounds`.
    """
    half = (find.width_px or find.size_px) / 2
    path = np.array(find.path if find.path is not None else [(find.x, find.y)], float)
    margin = int(3.2 * half) + 3
    rect = Rect(int(path[:, 0].min()) - margin, int(path[:, 1].min()) - margin,
                int(path[:, 0].max()) + margin, int(path[:, 1].max()) + margin).intersect(bounds)
    if rect.empty:
        return 0.0
    lightness = profiles.to_lab(pixels(rect), profile)[..., 0]
    ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1] + 0.5
    distance, below = np.full(xs.shape, np.inf), np.zeros(xs.shape, bool)
    along = path[-1] - path[0]
    down = np.array([-along[1], along[0]]) * (1 if along[0] >= 0 else -1)
    for x, y in path:
        here = np.hypot(xs - x, ys - y)
        below = np.where(here < distance, (xs - x) * down[0] + (ys - y) * down[1] > 0, below)
        np.minimum(distance, here, out=distance)
    hollow = find.kind == "under_eye"
    low, high = _RING_BELOW if hollow else _RING
    core, ring = distance < 0.6 * half, (distance > low * half) & (distance < high * half)
    if hollow:
        ring &= below
    if not core.any() or not ring.any():
        return 0.0
    return float(np.median(lightness[core]) - np.median(lightness[ring]))


def residual_share(before: float, now: float) -> float | None:
    """Share of the contrast that is left, 0-1 and more; None if there was none to begin with."""
    return None if abs(before) < _LEAST_CONTRAST else float(max(0.0, now / before))
