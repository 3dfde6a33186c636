"""Skin where nobody is seen: a close-up of skin alone is told by its colour.

A Gaussian in log colour ratios, the same in light and in shade (Finlayson et al. 1996), is fitted robustly (median,
then three trimmed rounds) to the commonest skin-like colours.
"""

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.types import EncodedRGB, Lab, Mask

_NEAR, _FAR = 2.2, 4.6  # Mahalanobis distances at which skin is sure, and out of the question
_TOO_DARK = 0.22  # share of the usual L*
_ROUGH = 0.30  # local spread of log luminance at which it is hair or cloth, not skin
_LEAST_ISLAND = 0.0015  # share of the picture below which a separate piece of skin is not believed
_LEAST_SEEDS = 50
_HOLE = 9


def skin_alone(small: EncodedRGB, lab: Lab) -> Mask:
    """Skin 0-1, float32 (h, w), of a picture of about 1000 px on which nobody was found; `lab`: the same in Lab."""
    seeds = _colour_seeds(lab)
    if seeds.sum() < _LEAST_SEEDS:
        return np.zeros(small.shape[:2], np.float32)
    ratios = ratios_of(cv2.GaussianBlur(small, (0, 0), 1.0))
    middle, inverse = robust_gaussian(ratios[seeds])
    distance = mahalanobis(ratios, middle, inverse)
    lightness = lab[..., 0]
    usual = float(np.median(lightness[seeds]))
    distance -= 2.0 * np.clip((lightness - usual - 12) / 20, 0, 1)  # highlights lose their colour
    sure = np.clip((_FAR - distance) / (_FAR - _NEAR), 0, 1)
    dark = _TOO_DARK * usual
    sure *= np.clip((lightness - dark) / (0.8 * dark), 0, 1)
    log_light = np.log(np.maximum(small.mean(-1), 0.01))
    spread = np.sqrt(np.maximum(cv2.blur(log_light**2, (7, 7)) - cv2.blur(log_light, (7, 7)) ** 2, 0))
    sure *= np.clip((_ROUGH - cv2.GaussianBlur(spread, (0, 0), 1.5)) / (0.5 * _ROUGH), 0, 1)
    return grown(cv2.GaussianBlur(sure.astype(np.float32), (0, 0), 1.2), seeds, _HOLE)


def ratios_of(small: EncodedRGB) -> np.ndarray:
    """log(R/G), log(G/B) of linear light: the same in light and in shade (Finlayson et al. 1996)."""
    linear = srgb.decode(np.clip(small, 0, 1)) + np.float32(0.004)
    return np.stack([np.log(linear[..., 0] / linear[..., 1]), np.log(linear[..., 1] / linear[..., 2])], -1)


def mahalanobis(ratios: np.ndarray, middle: np.ndarray, inverse: np.ndarray) -> np.ndarray:
    """Distances (h, w) of ratios (h, w, 2) from a Gaussian: its middle (2,) and inverse covariance (2, 2)."""
    x, y = (ratios[..., n] - np.float32(middle[n]) for n in (0, 1))
    (a, b), (_, d) = inverse.astype(np.float32)
    return np.sqrt(np.maximum(a * x * x + 2 * b * x * y + d * y * y, 0))


def _colour_seeds(lab: np.ndarray) -> np.ndarray:
    """The largest connected area of skin's usual hues."""
    a, b = lab[..., 1], lab[..., 2]
    hue = np.degrees(np.arctan2(b, a))
    chroma = np.hypot(a, b)
    like = (hue > 25) & (hue < 75) & (chroma > 10) & (chroma < 48) & (lab[..., 0] > 18) & (lab[..., 0] < 94)
    like = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_OPEN, np.ones((7, 7), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(like)
    if count < 2:
        return np.zeros(lab.shape[:2], bool)
    largest = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    if stats[largest, cv2.CC_STAT_AREA] < 0.01 * like.size:
        return np.zeros(lab.shape[:2], bool)
    return labels == largest


def robust_gaussian(values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(middle (2,), inverse covariance (2, 2)) of ratios (n, 2)."""
    middle = np.median(values, axis=0)
    keep = values
    for _ in range(3):
        cov = np.cov(keep.T) + np.diag([2.5e-3, 2.5e-3])
        inverse = np.linalg.inv(cov)
        off = values - middle
        near = np.einsum("ni,ij,nj->n", off, inverse, off) < 6
        keep = values[near] if near.sum() > 30 else values
        middle = keep.mean(0)
    return middle, inverse


def grown(sure: Mask, seeds: np.ndarray, hole: int) -> Mask:
    """Pieces of what is sure (0-1) that hold seeds or are large; holes up to some px closed (a mole is not a hole)."""
    solid = (sure > 0.5).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(solid)
    keep = np.zeros(count, bool)
    keep[np.unique(labels[seeds & (solid > 0)])] = True
    keep |= stats[:, cv2.CC_STAT_AREA] > _LEAST_ISLAND * solid.size
    keep[0] = False
    mask = keep[labels]
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (hole, hole))
    closed = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_CLOSE, ball)
    return np.maximum(np.where(mask, sure, 0), closed).astype(np.float32)
