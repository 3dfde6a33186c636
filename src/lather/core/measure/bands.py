"""Tone and texture of skin: the bands in which a mend is judged."""

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000
from lather.core.types import Lab, Mask

SPLIT_SHARE = 0.01  # Gaussian sigma of the tone band, share of the face width (jaw to jaw)
PORE_BAND_SHARES = (0.0015, 0.006)  # Gaussian sigmas between which texture is measured, share of the face width


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
