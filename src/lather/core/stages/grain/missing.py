"""Where grain is missing: energy of the finest band after the earlier stages against what the photo has there.

Measured at level 0 in cells of 8×8 pixels on a grid fixed to the picture, smoothed over five cells.
"""

import cv2
import numpy as np

from lather.core.job.grain_model import GrainModel, diagonal_gain
from lather.core.types import EncodedRGB, Mask, Rect

CELL = 8
_MARGIN_CELLS = 4
TOUCHED = 0.0008  # change (encoded) from which a pixel counts as touched
_MOST_OVER_MODEL = 2.0  # of the grain's energy: skin's finest relief went with it and is made up for by grain
_ENOUGH = 0.9  # of the wanted energy: nothing is missing
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def spacing(size_px: float) -> int:
    """Pixels between those whose differences are taken: further for coarser grain."""
    return max(1, round(1.6 * size_px))


def halo(size_px: float) -> int:
    """Pixels of surroundings that the map of a rectangle depends on."""
    return CELL * (_MARGIN_CELLS + 1) + spacing(size_px)


def finest(values: np.ndarray, d: int) -> np.ndarray:
    """Diagonal differences over `d` px of luminance (h, w); the last `d` rows and columns repeat."""
    out = np.empty_like(values)
    core = (values[d:, d:] - values[d:, :-d] - values[:-d, d:] + values[:-d, :-d]) / 2
    out[:-d, :-d] = core
    out[-d:, :-d] = core[-1:]
    out[:, -d:] = out[:, -d - 1 : -d]
    return out


def missing_cells(
    below: EncodedRGB, photo: EncodedRGB, cells: Rect, grain: GrainModel
) -> np.ndarray:
    """Sigma of the grain to add (encoded), float32, one per cell of `cells` (in cells of the grid).

    below, photo: pixels of `needed(cells)`.
    """
    inner = np.s_[_MARGIN_CELLS:-_MARGIN_CELLS, _MARGIN_CELLS:-_MARGIN_CELLS]
    rows, columns = cells.height + 2 * _MARGIN_CELLS, cells.width + 2 * _MARGIN_CELLS
    d = spacing(grain.size_px)
    light, was = below @ _LUMINANCE, photo @ _LUMINANCE
    touched = (np.abs(below - photo).max(-1) > TOUCHED).astype(np.float32)

    def sums(values):
        return values[: rows * CELL, : columns * CELL].reshape(rows, CELL, columns, CELL).sum((1, 3))

    area = sums(touched)
    if not area.any():
        return np.zeros((cells.height, cells.width), np.float32)
    blur = lambda v: cv2.GaussianBlur(v, (5, 5), 1.1, borderType=cv2.BORDER_REPLICATE)  # noqa: E731
    weight = blur(area) + np.float32(1e-3)
    now = blur(sums(finest(light, d) ** 2 * touched)) / weight
    usual = cv2.medianBlur(sums(finest(was, d) ** 2).astype(np.float32) / CELL**2, 5)  # thin flaws do not count
    tone = blur(sums(light * touched)) / weight
    gain = diagonal_gain(grain.size_px, d)
    model = grain.sigma(tone).astype(np.float32) ** 2 * np.float32(gain)
    wanted = np.minimum(_MOST_OVER_MODEL * model, blur(usual))
    same = blur(sums(finest(was, d) ** 2 * touched)) / weight  # of these very pixels: unchanged is not missing
    lacking = np.where(now < _ENOUGH * np.minimum(wanted, same), wanted - now, 0) / np.float32(gain)
    sigma = np.sqrt(np.maximum(lacking, 0)).astype(np.float32)
    sigma[weight < 0.5] = 0
    return sigma[inner]


def needed(cells: Rect) -> Rect:
    """Pixels that `missing_cells` reads for some cells; may lie partly outside the picture."""
    wide = cells.expand(_MARGIN_CELLS)
    return Rect(wide.x0 * CELL, wide.y0 * CELL, wide.x1 * CELL, wide.y1 * CELL)


def cells_of(rect: Rect) -> Rect:
    """Cells whose middles surround every pixel of a level-0 rectangle."""
    return Rect(
        (rect.x0 - CELL // 2) // CELL, (rect.y0 - CELL // 2) // CELL,
        -(-(rect.x1 + CELL // 2) // CELL), -(-(rect.y1 + CELL // 2) // CELL),
    )


def spread(cells: np.ndarray, at: Rect, rect: Rect) -> Mask:
    """Values of cells `at`, interpolated to the pixels of a rectangle; float32 (h, w)."""
    scale = 1.0 / CELL
    x = (rect.x0 + 0.5) * scale - at.x0 - 0.5
    y = (rect.y0 + 0.5) * scale - at.y0 - 0.5
    matrix = np.float32([[scale, 0, x], [0, scale, y]])
    return cv2.warpAffine(
        cells, matrix, (rect.width, rect.height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
