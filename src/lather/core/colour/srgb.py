"""sRGB transfer function (IEC 61966-2-1)."""

import numpy as np


def decode(encoded: np.ndarray) -> np.ndarray:
    """Encoded sRGB 0-1 to linear light 0-1, any shape, float32."""
    encoded = np.asarray(encoded, np.float32)
    return np.where(
        encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0.0) + 0.055) / 1.055) ** 2.4
    ).astype(np.float32)


def encode(linear: np.ndarray) -> np.ndarray:
    """Linear light 0-1 to encoded sRGB 0-1, any shape, float32."""
    linear = np.maximum(np.asarray(linear, np.float32), 0.0)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055).astype(np.float32)
