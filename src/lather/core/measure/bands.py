"""Tone and texture of skin: the bands in which a mend is judged."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.types import Lab, Mask

SPLIT_SHARE = 0.01  # Gaussian sigma of the tone band, share of the face width (jaw to jaw)
PORE_BAND_SHARES = (0.0015, 0.006)  # Gaussian sigmas between which texture is measured, share of the face width


MODELLING_SHARE = 0.08  # of the face width: what is coarser is the modelling of the light


def tone_band(lab: Lab, face_width_px: float) -> Lab:
    """Low-pass at the split width."""
    return cv2.GaussianBlur(lab, (0, 0), max(0.8, SPLIT_SHARE * face_width_px))


def tone_error(after: Lab, truth: Lab, face_width_px: float) -> np.ndarray:
    """CIEDE2000 between the tone bands, float64 (h, w)."""
    return delta_e2000(tone_band(after, face_width_px), tone_band(truth, face_width_px))


def pore_band(lab: Lab, face_width_px: float) -> np.ndarray:
    """L* between the two Gaussians of the pore band, float32 (h, w)."""
    fine, coarse = (max(0.5, share * face_width_px) for share in PORE_BAND_SHARES)
    lightness = np.ascontiguousarray(lab[..., 0])
    return cv2.GaussianBlur(lightness, (0, 0), fine) - cv2.GaussianBlur(lightness, (0, 0), max(coarse, 1.5 * fine))


def texture_energy(lab: Lab, where: Mask, face_width_px: float) -> float:
    """Variance of L* in the pore band over the pixels of a mask (> 0.5)."""
    band = pore_band(lab, face_width_px)[where > 0.5]
    return float(band.var()) if band.size else 0.0


def modelling_spread(lightness: np.ndarray, skin: Mask, face_width_px: float) -> float:
    """Standard deviation of L* in what is coarser than 8 % of the face, over skin; worked at a reduced size."""
    shrink = min(1.0, 160 / face_width_px)
    light = cv2.resize(
        np.ascontiguousarray(lightness, np.float32), None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA
    )
    skin = cv2.resize(skin.astype(np.float32), light.shape[::-1], interpolation=cv2.INTER_AREA)
    sigma = MODELLING_SHARE * face_width_px * shrink
    smooth = cv2.GaussianBlur(light * skin, (0, 0), sigma) / np.maximum(cv2.GaussianBlur(skin, (0, 0), sigma), 1e-3)
    return float(smooth[skin > 0.5].std()) if (skin > 0.5).any() else 0.0


def moved_px(before: np.ndarray, after: np.ndarray, where: np.ndarray) -> float:
    """Largest move (99th percentile of dense optical flow, Kroeger et al. 2016) of L* inside a mask, px."""
    shrink = min(1.0, 900 / max(before.shape))
    grey = [cv2.resize(np.clip(light * 2.55, 0, 255).astype(np.uint8), None, fx=shrink, fy=shrink,
                       interpolation=cv2.INTER_AREA) for light in (before, after)]
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(*grey, None)
    inside = cv2.resize(where.astype(np.uint8), grey[0].shape[::-1], interpolation=cv2.INTER_NEAREST) > 0
    moved = np.hypot(flow[..., 0], flow[..., 1])[inside] / shrink
    return float(np.percentile(moved, 99)) if moved.size else 0.0
