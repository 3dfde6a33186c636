"""Where on the picture a gauge is what it is: masks 0-1 at the size of `measures.small`."""

import cv2
import numpy as np

from lather.core.gauges.compared import Compared
from lather.core.gauges.tone import tones
from lather.core.job.finds import Find
from lather.core.types import Mask

_SMEAR_SHARE = 0.03  # of the face's width, over which texture is compared


def where_texture_changed(pictures: Compared) -> Mask | None:
    """Skin whose finest detail has another energy than the photo's."""
    sigma = max(2.0, _SMEAR_SHARE * pictures.face_small_px)
    fine = [lab[..., 0] - cv2.GaussianBlur(lab[..., 0], (0, 0), 1.2) for lab in pictures.small]
    was, now = (cv2.GaussianBlur(band**2, (0, 0), sigma) + 1e-4 for band in fine)
    return _soft(np.abs(np.log(now / was)), 0.15, 0.5) * (pictures.skin > 0.5)


def where_tone_changed(pictures: Compared) -> Mask | None:
    """Skin whose light is another, texture left aside."""
    both = pictures.once(tones)
    if both is None:
        return None
    return _soft(np.abs(both[1][..., 0] - both[0][..., 0]), 0.7, 2.0) * (pictures.skin > 0.5)


def where_colour_changed(pictures: Compared) -> Mask | None:
    """Where colour was taken away or added, 0-1; None where skin cannot be told."""
    both = pictures.once(tones)
    if both is None:
        return None
    return _soft(np.hypot(*np.moveaxis(both[1][..., 1:] - both[0][..., 1:], -1, 0)), 0.8, 2.5) * (pictures.skin > 0.5)


def around_finds(pictures: Compared, finds: list[Find]) -> Mask | None:
    """Their outlines, filled."""
    if not finds:
        return None
    out, scale = np.zeros(pictures.skin.shape, np.float32), pictures.measures.scale
    for find in finds:
        if find.outline:
            cv2.fillPoly(out, [np.round(np.array(find.outline) / scale).astype(np.int32).reshape(-1, 1, 2)], 1.0)
        else:
            place = round(find.x / scale), round(find.y / scale)
            cv2.circle(out, place, max(2, round(0.6 * find.size_px / scale)), 1.0, -1)
    return out


def _soft(values: np.ndarray, low: float, high: float) -> Mask:
    return np.clip((values - low) / (high - low), 0, 1).astype(np.float32)
