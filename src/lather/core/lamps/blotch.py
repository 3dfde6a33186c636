"""Blotch: light of skin between pores and form, the band in which unevenness lies."""

from typing import ClassVar

import cv2
import numpy as np

from lather.core.colour.lab import srgb_lightness
from lather.core.lamps.base import Lamp
from lather.core.parameters import Number
from lather.core.ranges import Range
from lather.core.stages.base import Surroundings
from lather.core.types import EncodedRGB, Rect

_FINE, _COARSE = 0.008, 0.04  # σ in widths of the face: above pores, below form (as the gauge of blotches reads them)
_FINE_TO_FACE = 120.0  # where no face is known: the split width is about a hundredth of one
_REACH = 3.0


class BlotchLamp(Lamp):
    """Grey of the band between pores and form; see the top of this file."""

    id: ClassVar[str] = "blotch"
    label: ClassVar[str] = "Blotch"
    hint: ClassVar[str] = "Light between pores and form: dark needs light, light needs shade"
    strength: ClassVar[Number] = Number("strength", "Contrast", Range(1.0, 8.0), 3.0, "×", 0.5)

    @staticmethod
    def _sigmas(settings: dict, level: int) -> tuple[float, float]:
        """Pixels of the level."""
        face = float(settings.get("face_px") or 0) or _FINE_TO_FACE * float(settings.get("width_px", 6.0))
        return _FINE * face / (1 << level), _COARSE * face / (1 << level)

    def reach(self, settings: dict) -> int:
        """The halo of the coarser of its two low-passes, px."""
        fine, coarse = self._sigmas(settings, 0)
        return int(np.ceil(_REACH * coarse)) + 2 * _cells(fine, coarse)[1]

    def shown(self, around: Surroundings, settings: dict, rect: Rect, level: int) -> EncodedRGB:
        fine, coarse = self._sigmas(settings, level)
        deeper, cell = _cells(fine, coarse)
        part = 1 << deeper
        wide = _on_grid(rect.expand(int(np.ceil(_REACH * coarse)) + cell), cell)
        wide = wide.intersect(around.bounds.at_level(level))
        # what is as coarse as that is read from a deeper level: a sixteenth of the pixels under the pen
        light = srgb_lightness(around.below(wide.at_level(deeper), level + deeper))
        band = _blurred(light, fine / part, 1) - _blurred(light, coarse / part, cell // part)
        own = rect.slices(wide)
        shown = np.float32(0.5) + np.float32(self.strength_of(settings) / 100) * _spread(band, part)[own]
        return np.repeat(shown[..., None], 3, axis=2)


def _cells(fine: float, coarse: float) -> tuple[int, int]:
    """Levels deeper at which two blurs are worked out, and the side of the cells for the second one."""
    deeper = max(0, int(np.log2(max(1.0, fine / 2))))
    part = 1 << deeper
    return deeper, part * max(1, int(coarse / 5 / part))


def _on_grid(rect: Rect, cell: int) -> Rect:
    """The rectangle widened to whole cells of a grid that is fixed to the picture, so that tiles meet."""
    x0, y0 = (max(0, n) // cell * cell for n in rect[:2])
    return Rect(x0, y0, *(-(-n // cell) * cell for n in rect[2:]))


def _means(values: np.ndarray, cell: int) -> np.ndarray:
    """Means of cells; the last row and column repeat to make theirs whole."""
    height, width = values.shape[:2]
    rows, columns = -(-height // cell), -(-width // cell)
    whole = cv2.copyMakeBorder(values, 0, rows * cell - height, 0, columns * cell - width, cv2.BORDER_REPLICATE)
    return cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA) if cell > 1 else values


def _spread(means: np.ndarray, cell: int) -> np.ndarray:
    """Between the middles of cells, as many pixels as they have."""
    if cell == 1:
        return means
    return cv2.resize(means, (means.shape[1] * cell, means.shape[0] * cell), interpolation=cv2.INTER_LINEAR)


def _blurred(light: np.ndarray, sigma: float, cell: int) -> np.ndarray:
    """Gaussian, worked out in means of cells; the border repeats."""
    side = 2 * max(1, int(_REACH * sigma / cell)) + 1
    means = _means(light, cell)
    smooth = cv2.GaussianBlur(means, (side, side), max(0.3, sigma / cell), borderType=cv2.BORDER_REPLICATE)
    return _spread(smooth, cell)[: light.shape[0], : light.shape[1]]
