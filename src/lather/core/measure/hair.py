"""Which part of a person that is no skin is hair, and which is cloth: told by place and colour."""

import numpy as np

from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.types import Mask

_SURE = 0.6
_USUAL_HAIR = 0.9
_LEAST = 60  # pixels that a colour is told from
_STEEP = 1.2
_SPREAD = 4.0  # least spread of a colour, Lab


def hair_share(measures: PhotoMeasures, rest: Mask) -> Mask:
    """Share 0-1 of hair, at the size of `measures.small`, where `rest` is no skin of the person; without a face: 0.

    Hair is sure above the eyes, cloth at the foot of the picture below the shoulders; what lies between is told by
    which of the two it is more like in colour (Gaussians in Lab), and by how far down it lies.
    """
    face, scale = measures.face, measures.scale
    if face is None:
        return np.zeros_like(rest)
    ys, xs = np.mgrid[: rest.shape[0], : rest.shape[1]].astype(np.float32)
    _, v = face.in_frame((xs + 0.5) * scale, (ys + 0.5) * scale)
    chin = float(face.in_frame(*face.points["chin"])[1])
    by_place = np.clip((chin - v) * 2.5, -4, 6)  # log odds: above the chin it is hair
    sure = rest > _SURE
    hair, foot = sure & (v < 0.2), sure & (v > chin + 0.9)
    lab = measures.small_lab
    if hair.sum() < _LEAST or foot.sum() < _LEAST:
        return _sigmoid(by_place)
    like_hair = _far(lab, lab[hair])
    cloth = foot & (like_hair > np.quantile(like_hair[hair], _USUAL_HAIR))  # long hair falls down to the foot
    if cloth.sum() < _LEAST:
        return _sigmoid(np.maximum(by_place, 2))
    by_colour = _far(lab, lab[cloth]) - like_hair
    return _sigmoid(np.where(v < 0.2, np.maximum(by_place, 2), by_place + np.clip(by_colour / _STEEP, -5, 5)))


def _far(lab: np.ndarray, sample: np.ndarray) -> np.ndarray:
    """Negative log likelihood (h, w) of a colour under a Gaussian fitted to a sample (n, 3), by its middle 90 %."""
    middle = np.median(sample, axis=0)
    off = sample - middle
    off = off[(np.abs(off) <= np.quantile(np.abs(off), 0.9, axis=0) + 1e-6).all(1)]
    spread = np.cov(off.T) + _SPREAD**2 * np.eye(3)
    way = lab - middle
    return 0.5 * (np.einsum("...i,ij,...j->...", way, np.linalg.inv(spread), way) + np.linalg.slogdet(spread)[1])


def _sigmoid(odds: np.ndarray) -> Mask:
    return (1 / (1 + np.exp(-np.clip(odds, -30, 30)))).astype(np.float32)
