"""Lightness changed as more or less light would: hue and saturation stay."""

import numpy as np

from lather.core.loops import loop
from lather.core.stages.adjust.pixels import halves
from lather.core.types import Lab


def to_lightness(lab: Lab, light: np.ndarray) -> Lab:
    """Change in Lab (h, w, 3) that brings pixels to a lightness (h, w), 0-100.

    Light scales X, Y and Z alike, so that L* + 16, a* and b* all go by its cube root.
    """

    def work(lab, light) -> Lab:
        out = np.empty(lab.shape, np.float32)
        _scale(lab, light, out)
        return out

    return halves(work, np.ascontiguousarray(lab, np.float32), np.ascontiguousarray(light, np.float32))


@loop("f4[:, :, ::1], f4[:, ::1], f4[:, :, ::1]", fastmath=True)
def _scale(lab, light, out):  # pragma: no cover - compiled
    for y in range(lab.shape[0]):
        for x in range(lab.shape[1]):
            step = light[y, x] - lab[y, x, 0]
            share = step / (lab[y, x, 0] + np.float32(16))
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = step, share * lab[y, x, 1], share * lab[y, x, 2]
