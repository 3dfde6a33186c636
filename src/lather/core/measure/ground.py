"""Safe ground: the background behind a person, as far as it is plain enough to be laid over stray hairs.

What is flat once thin things are taken away (median), reaches the picture's border, and is nobody's body. Where the
low-pass of the ground would be pulled towards the hair mass or the shoulders, it is not safe.
"""

import cv2
import numpy as np

from lather.core.types import EncodedRGB, Mask

_THIN_MM, _SMOOTH_MM, _CLOSE_MM = 2.2, 0.8, 3.0
_STEEP = 2.6  # ΔL*, Δa*, Δb* per mm of the tone over which it is a form, not a ground
_ROUGH_TIMES, _ROUGH_LEAST = 4.0, 1.2  # of the flattest part's roughness; L*
_LEAST_SHARE = 0.01
_HAIR_MM = 0.8  # what is thinner lies on the ground
_MARGIN_MM, _LEAST_UNLIKE, _UNLIKE_TIMES = 9.0, 4.5, 3.0
_BORDER = 3
_CODED, _CODED_FROM = np.float32((2.55, 1, 1)), np.float32((0, 128, 128))  # L*, a*, b* as bytes, for medians


def safe_ground(small: EncodedRGB, body: Mask, small_px_per_mm: float) -> Mask:
    """1 where a hair may be laid over with ground, 0 elsewhere; uint8 (h, w) at the size of `small`.

    small: sRGB at a reduced size. body: 0-1, the same size: skin, cloth and whatever else of people is no hair.
    """
    lab = cv2.cvtColor(np.ascontiguousarray(small), cv2.COLOR_RGB2Lab)
    k = 2 * int(np.clip(_THIN_MM * small_px_per_mm / 2, 1, 12)) + 1
    coded = np.clip(np.round(lab * _CODED + _CODED_FROM), 0, 255).astype(np.uint8)
    plain = cv2.medianBlur(coded, k) / _CODED
    plain = cv2.GaussianBlur(plain, (0, 0), max(0.8, _SMOOTH_MM * small_px_per_mm))
    gx, gy = cv2.Sobel(plain, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(plain, cv2.CV_32F, 0, 1, scale=1 / 8)
    steep = _length(gx, gy) * small_px_per_mm
    rest = np.abs(lab[..., 0] - plain[..., 0])
    side = 2 * int(2 * small_px_per_mm) + 1
    rough = cv2.blur(np.minimum(rest, 8.0), (side, side))
    away = body < 0.3
    calm = rough[away & (steep < _STEEP)]
    usual = float(np.percentile(calm, 15)) if len(calm) else 0.0
    flat = (away & (steep < _STEEP) & (rough < max(_ROUGH_TIMES * usual, _ROUGH_LEAST))).astype(np.uint8)
    flat = cv2.morphologyEx(flat, cv2.MORPH_OPEN, _disc(0.7 * small_px_per_mm))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(flat, connectivity=4)
    rim = np.zeros(flat.shape, bool)
    rim[:_BORDER], rim[:, :_BORDER], rim[:, -_BORDER:] = True, True, True
    wanted = np.zeros(count, np.uint8)
    wanted[np.unique(labels[rim])] = 1
    wanted[stats[:, cv2.CC_STAT_AREA] < _LEAST_SHARE * flat.size] = 0
    wanted[0] = 0
    ground = wanted[labels]
    if not ground.any():
        return ground
    closed = cv2.morphologyEx(ground, cv2.MORPH_CLOSE, _disc(_CLOSE_MM * small_px_per_mm))
    barred = np.where(away, body, np.float32(1))
    return _up_to_the_mass(
        coded, plain, ground, np.where(barred < 0.3, closed, 0).astype(np.uint8), barred, small_px_per_mm
    )


def _up_to_the_mass(coded, plain, sure: Mask, ground: Mask, skin: Mask, per_mm: float) -> Mask:
    """Ground grown over the margin where the wide median saw the mass, as far as it looks like the ground beside it."""
    beside = _low_passed(plain, sure, 4.0 * per_mm)
    k = 2 * max(1, round(0.45 * per_mm)) + 1
    unlike = _length(cv2.medianBlur(coded, k) / _CODED - beside)
    usual = float(np.median(unlike[sure > 0]))
    limit = max(_LEAST_UNLIKE, _UNLIKE_TIMES * usual)
    reach = cv2.dilate(ground, _disc(_MARGIN_MM * per_mm))
    like = ((reach > 0) & (unlike < limit) & (skin < 0.3)).astype(np.uint8)
    like = cv2.morphologyEx(like, cv2.MORPH_OPEN, _disc(0.4 * per_mm)) | ground
    like[(unlike > 2 * limit) & (sure == 0)] = 0
    closed = cv2.morphologyEx(like, cv2.MORPH_CLOSE, _disc(_HAIR_MM * per_mm))
    count, labels = cv2.connectedComponents(np.where(skin < 0.3, closed, 0).astype(np.uint8), connectivity=4)
    kept = np.unique(labels[sure > 0])
    wanted = np.zeros(count, np.uint8)
    wanted[kept[kept > 0]] = 1
    return wanted[labels]


def _length(*vectors: np.ndarray) -> np.ndarray:
    """Root of the sum of all squares over the last axis of vectors (h, w, n)."""
    return np.sqrt(sum(np.einsum("...i,...i->...", v, v) for v in vectors))


def _low_passed(values: np.ndarray, where: Mask, sigma: float) -> np.ndarray:
    """Mean of the values where a mask is 1 around each pixel (Gaussian); worked out at a third of the size."""
    third = tuple(-(-n // 3) for n in where.shape[::-1])
    held = cv2.resize(np.dstack([values * where[..., None], where.astype(np.float32)]), third,
                      interpolation=cv2.INTER_AREA)
    held = cv2.GaussianBlur(held, (0, 0), sigma / 3)
    mean = held[..., :3] / (held[..., 3:] + np.float32(1e-4))
    return cv2.resize(mean, where.shape[::-1], interpolation=cv2.INTER_LINEAR)


def _disc(radius: float) -> np.ndarray:
    side = 2 * max(1, round(radius)) + 1
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
