"""A low-pass that stays inside skin."""

import cv2
import numpy as np

from lather.core.types import Mask


def inside_blur(values: np.ndarray, mask: Mask, sigma: float) -> np.ndarray:
    """Low-pass that takes nothing from outside the mask."""
    weight = (mask > 0.5).astype(np.float32)
    share = np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3)
    out = cv2.GaussianBlur(np.ascontiguousarray(values * weight[..., None]), (0, 0), sigma)
    return out.reshape(values.shape) / share[..., None]
