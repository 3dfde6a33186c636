"""Skin without its texture, before and now: what is measured from further away."""

import numpy as np

from lather.core.gauges.compared import Compared
from lather.core.gauges.skin_blur import inside_blur
from lather.core.measure.bands import SPLIT_SHARE

_LEAST_SKIN = 100


def tones(pictures: Compared) -> list[np.ndarray] | None:
    """Tone of both at the small size, (h, w, 3) Lab each; None where there is hardly any skin."""
    if (pictures.skin > 0.5).sum() < _LEAST_SKIN:
        return None
    return [inside_blur(lab, pictures.skin, max(0.8, SPLIT_SHARE * pictures.face_small_px)) for lab in pictures.small]
