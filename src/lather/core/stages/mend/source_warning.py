"""What is wrong with a chosen source: it runs into an edge, a find, or a place that was used before."""

from collections.abc import Callable, Iterable

import cv2
import numpy as np

from lather.core.job.finds import Find
from lather.core.job.model import Stroke
from lather.core.phrases import phrase
from lather.core.types import EncodedRGB, Rect

_EDGE_TIMES, _EDGE_LEAST = 2.2, 0.10
_USED_SHARE = 0.3
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def source_warning(
    read: Callable[[Rect], EncodedRGB], x: float, y: float, size_px: float, offset: tuple[int, int], bounds: Rect,
    finds: Iterable[Find] = (), edits: Iterable[Stroke] = (),
) -> str:
    """One short warning for a touch at (x, y), or "" if nothing speaks against the source."""
    half = max(2, int(size_px / 2))
    place = Rect(int(x) - half, int(y) - half, int(x) + half + 1, int(y) + half + 1)
    taken = place.shift(*offset)
    if taken.intersect(bounds).empty:
        return "the source lies outside the picture"
    for find in finds:
        if find.path is None and np.hypot(find.x - x - offset[0], find.y - y - offset[1]) < half + 0.4 * find.size_px:
            return phrase("the source holds a %1", find.label.lower())
    area = max(1, place.width * place.height)
    for edit in edits:
        if edit.offset is not None:
            shared = edit.source_rect(edit.bounds).intersect(taken)
            near = np.hypot(*(np.array(edit.bounds[:2]) - place[:2])) < 6 * size_px
            if near and not shared.empty and shared.width * shared.height > _USED_SHARE * area:
                return "this skin was used close by already"
    here, there = (_range(read(r.intersect(bounds))) for r in (place, taken))
    if there > _EDGE_LEAST and there > _EDGE_TIMES * here:
        return "the source runs into an edge"
    return ""


def _range(pixels: EncodedRGB) -> float:
    """Spread of the tone, fine texture left out."""
    if min(pixels.shape[:2]) < 2:
        return 0.0
    tone = cv2.GaussianBlur(pixels @ _LUMINANCE, (0, 0), max(1.0, 0.06 * min(pixels.shape[:2])))
    return float(np.percentile(tone, 98) - np.percentile(tone, 2))
