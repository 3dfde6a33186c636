"""What is left of a softened find: its contrast now against its contrast in the photo."""

from collections.abc import Callable

import numpy as np

from lather.core.colour import profiles
from lather.core.job.finds import Find
from lather.core.types import EncodedRGB, Rect

_LEAST_CONTRAST = 0.5


def find_contrast(find: Find, pixels: Callable[[Rect], EncodedRGB], bounds: Rect, profile: bytes | None) -> float:
    """Signed change of L* from the skin on both sides into the find (for a spot: from the ring around it).

    pixels: of any rectangle inside `bounds`.
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
    distance = np.full(xs.shape, np.inf)
    for x, y in path:
        np.minimum(distance, np.hypot(xs - x, ys - y), out=distance)
    core, ring = distance < 0.6 * half, (distance > 1.7 * half) & (distance < 3 * half)
    if not core.any() or not ring.any():
        return 0.0
    return float(np.median(lightness[core]) - np.median(lightness[ring]))


def residual_share(before: float, now: float) -> float | None:
    """Share of the contrast that is left, 0-1 and more; None if there was none to begin with."""
    return None if abs(before) < _LEAST_CONTRAST else float(max(0.0, now / before))
