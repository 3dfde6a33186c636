"""The person against the ground."""

import cv2
import numpy as np

from lather.core.face.networks import run
from lather.core.types import EncodedRGB, Mask

_SIDE = 256


def person_mask(small: EncodedRGB) -> Mask:
    """Share of "person" 0-1, float32 (h, w), of a picture of sRGB-like values 0-1."""
    seen = cv2.resize(small, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA)
    share = next(iter(run("selfie_segmentation", seen).values())).reshape(_SIDE, _SIDE)
    wide = cv2.resize(share, small.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.clip(wide, 0, 1).astype(np.float32)
