"""A change without its fine part: what pulls tone along leaves texture where it was."""

import cv2
import numpy as np


def coarse(delta: np.ndarray, sigma: float) -> np.ndarray:
    """A change (h, w, 3), nothing around it, without what is finer than `sigma`.

    Cut off more steeply than by one Gaussian g: by 3g² − 2g³.
    """
    shrink = max(1, int(sigma / 3))
    size = tuple(-(-n // shrink) for n in delta.shape[1::-1])
    small = delta if shrink == 1 else cv2.resize(delta, size, interpolation=cv2.INTER_AREA)

    def blurred(wide: float) -> np.ndarray:
        side = 2 * int(np.ceil(3 * wide)) + 1
        return cv2.GaussianBlur(small, (side, side), wide, borderType=cv2.BORDER_CONSTANT)

    out = cv2.addWeighted(blurred(np.sqrt(2) * sigma / shrink), 3, blurred(np.sqrt(3) * sigma / shrink), -2, 0)
    return out if shrink == 1 else cv2.resize(out, delta.shape[1::-1], interpolation=cv2.INTER_CUBIC)


def coarse_reach(sigma: float) -> int:
    """Pixels around a place that `coarse` looks at."""
    return int(np.ceil(3 * np.sqrt(3) * sigma))
