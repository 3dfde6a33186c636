"""The mix of channels in which the unevenness of skin is plain: what the grey lamp starts with."""

import cv2
import numpy as np

from lather.core.lamps.grey import mix_weights
from lather.core.types import EncodedRGB, Mask

_FINE, _COARSE = 0.008, 0.04  # σ in widths of the face, as the blotch lamp has them
_NOISE = 0.012  # of the light, as much as grain and the codec make of a dark channel
_STEPS = 11
_USUAL = 0.6
_LEAST_SKIN = 200  # pixels


def most_telling_mix(small: EncodedRGB, skin: Mask, face_px: float) -> float:
    """Mix 0-1 whose band of blotches stands out most on skin against its own light. face_px: in pixels of `small`."""
    deep = cv2.erode((skin > 0.5).astype(np.uint8), np.ones((9, 9))) > 0
    if deep.sum() < _LEAST_SKIN:
        return _USUAL
    near, wide = (cv2.GaussianBlur(small, (0, 0), max(0.6, share * face_px)) for share in (_FINE, _COARSE))
    band, light = (near - wide)[deep], near[deep]
    mixes = np.linspace(0, 1, _STEPS)
    telling = []
    for mix in mixes:
        weights = mix_weights(mix)
        values = band @ weights / np.maximum(light @ weights, 0.05)
        spread = 1.48 * float(np.median(np.abs(values - np.median(values))))
        noise = _NOISE * float(np.linalg.norm(weights)) / max(0.05, float(np.median(light @ weights)))
        telling.append(spread / (spread + noise))
    return float(mixes[int(np.argmax(telling))])
