"""Telling parts of a small crop apart by colour, with what is known of the place as a start."""

import cv2
import numpy as np

from lather.core.types import Lab, Mask

_LEAST_SEEDS = 24
_MOST_LOG_RATIO = 4.0  # colour alone never overrules a place that is certain
_REGULAR = 4.0  # added to the variances, ΔE²


def log_ratio(lab: Lab, inside: np.ndarray, outside: np.ndarray) -> np.ndarray:
    """Logarithm of how much likelier each pixel's colour is that of the seeds inside than of those outside, (h, w).

    A Gaussian each, about the median (trimmed once). 0 where one of them has hardly any seeds.
    """
    models = [_gaussian(lab[seeds]) for seeds in (inside, outside)]
    if any(model is None for model in models):
        return np.zeros(lab.shape[:2], np.float32)
    likely = [_log_density(lab, *model) for model in models]
    return np.clip(likely[0] - likely[1], -_MOST_LOG_RATIO, _MOST_LOG_RATIO).astype(np.float32)


def _gaussian(values: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    if len(values) < _LEAST_SEEDS:
        return None
    middle = np.median(values, axis=0)
    off = np.abs(values - middle).sum(1)
    kept = values[off <= np.percentile(off, 85)]
    return kept.mean(0), np.cov(kept.T) + _REGULAR * np.eye(3)


def _log_density(lab: Lab, middle: np.ndarray, covariance: np.ndarray) -> np.ndarray:
    off = lab - middle.astype(np.float32)
    inverse = np.linalg.inv(covariance).astype(np.float32)
    return -0.5 * np.einsum("hwi,ij,hwj->hw", off, inverse, off) - 0.5 * np.float32(np.linalg.slogdet(covariance)[1])


def signed_distance(shape: tuple[int, int], outline: np.ndarray) -> np.ndarray:
    """Pixels inwards (+) or outwards (−) of an outline (n, 2), (h, w)."""
    filled = filled_polygon(shape, outline)
    inner = cv2.distanceTransform(filled, cv2.DIST_L2, 5)
    outer = cv2.distanceTransform(1 - filled, cv2.DIST_L2, 5)
    return (inner - outer).astype(np.float32)


def filled_polygon(shape: tuple[int, int], *outlines: np.ndarray) -> np.ndarray:
    """uint8 (h, w), 1 inside."""
    out = np.zeros(shape, np.uint8)
    cv2.fillPoly(out, [np.round((np.asarray(o) - 0.5) * 16).astype(np.int32) for o in outlines], 1, shift=4)
    return out


def smoothed(log_odds: np.ndarray, sigma: float) -> Mask:
    """Share 0-1 from log odds, averaged over neighbours so that edges are clean."""
    return 1 / (1 + np.exp(-cv2.GaussianBlur(log_odds, (0, 0), sigma)))
