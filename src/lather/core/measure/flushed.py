"""Skin of another colour than the rest: flushed, cold, in shade. Told by what pigment and light do to a colour."""

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.types import EncodedRGB, Mask

_BLOOD = np.array([0.16, 1.0, 0.80])
_LEAST = 200
_FLUSH, _SHADE = (-0.35, 0.9), (-0.9, 0.5)  # blood more than usual; natural logarithm of light
_OFF = 0.07  # that neither explains
_NEAR = 0.22  # of the face's width from skin that is known


def flushed_skin(small: EncodedRGB, skin: Mask, person: Mask, face_px: float) -> Mask:
    """Share 0-1 of what is skin with more or less blood in it, or in other light, near skin that is known.

    Of the logarithm of linear RGB, what light (1, 1, 1) and blood (Tsumura et al. 2003) do is taken out; of skin the
    rest is the same. face_px: the face's width in px of `small`.
    """
    sure = skin > 0.7
    if sure.sum() < _LEAST:
        return np.zeros_like(skin)
    density = np.log(np.maximum(srgb.decode(cv2.GaussianBlur(small, (0, 0), 1.0)), 2e-3))
    density = density - np.median(density[sure], axis=0)
    light, blood = np.ones(3), -_BLOOD
    rest = np.cross(light, blood)
    rest /= np.linalg.norm(rest)
    amounts = density @ np.linalg.inv(np.array([light, blood, rest]))
    shade, flush, off = amounts[..., 0], amounts[..., 1], amounts[..., 2]
    like = (np.abs(off) < _OFF) & (shade > _SHADE[0]) & (shade < _SHADE[1]) & (flush > _FLUSH[0]) & (flush < _FLUSH[1])
    far = cv2.distanceTransform((skin < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    share = (like & (far < _NEAR * face_px)).astype(np.uint8)
    share = cv2.morphologyEx(share, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8))
    share = cv2.morphologyEx(share, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    return (cv2.GaussianBlur(share.astype(np.float32), (0, 0), 1.0) * person).astype(np.float32)
