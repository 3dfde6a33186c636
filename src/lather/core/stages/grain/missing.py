"""Where grain is missing: energy of the finest band after the earlier stages against what the photo has there.

Measured at level 0 in cells of 8×8 pixels on a grid fixed to the picture, smoothed over five cells.
"""

import cv2
import numpy as np

from lather.core.job.grain_model import GrainModel, diagonal_gain
from lather.core.loops import loop
from lather.core.types import EncodedRGB, Rect

CELL = 8
_MARGIN_CELLS = 4
TOUCHED = 0.0008  # change (encoded) from which a pixel counts as touched
_MOST_OVER_MODEL = 2.0, 9.0
"""Of the grain's energy. Skin's finest relief goes with its grain, and the eye compares with the skin around: what is
put back is as lively as that, up to three times the grain's amplitude. What went with hairs is not made up for."""
_PEAKED = 2.2, 2.8
"""Energy against the squared mean without sign, as grain and relief have it (1.57 is normal) and as lines have it."""
_NORMAL_SPREAD = np.float32(1.03 * np.sqrt(np.pi / 2))
"""Standard deviation of grain against its mean without sign, in which the odd hair or edge counts little; 1.03 as
relief is more peaked than grain."""
_ENOUGH_AROUND = 0.2  # untouched share of the pixels around from which they say how much grain there is
_ENOUGH = 0.9  # of the wanted energy: nothing is missing
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


def spacing(size_px: float) -> int:
    """Pixels between those whose differences are taken: further for coarser grain."""
    return max(1, round(1.6 * size_px))


def halo(size_px: float) -> int:
    """Pixels of surroundings that the map of a rectangle depends on."""
    return CELL * (_MARGIN_CELLS + 1) + spacing(size_px)


@loop("f4[:, ::1], i8, i8, i8", fastmath=True)
def _finest(light, y, x, d):  # pragma: no cover - compiled
    """Diagonal difference over `d` px of luminance (h, w); the last `d` rows and columns repeat."""
    y, x = min(y, light.shape[0] - d - 1), min(x, light.shape[1] - d - 1)
    return (light[y + d, x + d] - light[y + d, x] - light[y, x + d] + light[y, x]) / 2


@loop("f4[:, :, ::1], f4[:, :, ::1]", fastmath=True)
def touched_pixels(below: EncodedRGB, photo: EncodedRGB) -> np.ndarray:  # pragma: no cover - compiled
    """bool (h, w): where a picture differs from the photo by more than rounding."""
    out = np.empty(below.shape[:2], np.bool_)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            off = max(abs(below[y, x, 0] - photo[y, x, 0]), abs(below[y, x, 1] - photo[y, x, 1]))
            out[y, x] = max(off, abs(below[y, x, 2] - photo[y, x, 2])) > TOUCHED
    return out


@loop("b1[:, ::1], f4[:, ::1], f4[:, ::1], i8, f4[:, :, ::1]", fastmath=True)
def _cell_sums(touched, light, was, d, sums):  # pragma: no cover - compiled
    """sums (7, rows, columns), of each cell: touched pixels; their luminance; the energy of `_finest` of it; that of
    the photo there; the size without sign of `_finest` of the photo in touched pixels, and where it takes in none; how
    many these are. light, was: luminance of below and photo."""
    last_y, last_x = touched.shape[0] - d - 1, touched.shape[1] - d - 1
    for y in range(sums.shape[1] * CELL):
        j = y // CELL
        for x in range(sums.shape[2] * CELL):
            i, before = x // CELL, _finest(was, y, x, d)
            if touched[y, x]:
                after = _finest(light, y, x, d)
                sums[0, j, i] += 1
                sums[1, j, i] += light[y, x]
                sums[2, j, i] += after * after
                sums[3, j, i] += before * before
                sums[4, j, i] += abs(before)
                continue
            v, u = min(y, last_y), min(x, last_x)
            if not (touched[v, u] or touched[v + d, u] or touched[v, u + d] or touched[v + d, u + d]):
                sums[5, j, i] += abs(before)
                sums[6, j, i] += 1


def missing_cells(
    below: EncodedRGB, photo: EncodedRGB, touched: np.ndarray, cells: Rect, grain: GrainModel
) -> np.ndarray:
    """Sigma of the grain to add (encoded), float32, one per cell of `cells` (in cells of the grid).

    below, photo: pixels of `needed(cells)`; touched: of `touched_pixels` there.
    """
    inner = np.s_[_MARGIN_CELLS:-_MARGIN_CELLS, _MARGIN_CELLS:-_MARGIN_CELLS]
    d = spacing(grain.size_px)
    sums = np.zeros((7, cells.height + 2 * _MARGIN_CELLS, cells.width + 2 * _MARGIN_CELLS), np.float32)
    _cell_sums(touched, below @ _LUMINANCE, photo @ _LUMINANCE, d, sums)
    area, light, now, same, inside, beside, clear = sums
    if not area.any():
        return np.zeros((cells.height, cells.width), np.float32)
    blur = lambda v: cv2.GaussianBlur(v, (5, 5), 1.1, borderType=cv2.BORDER_REPLICATE)  # noqa: E731
    weight, left = blur(area) + np.float32(1e-3), blur(clear)
    now, same = blur(now) / weight, blur(same) / weight
    sizes = (inside + beside) / np.maximum(area + clear, 1)
    usual = _NORMAL_SPREAD * cv2.medianBlur(sizes, 5)  # thin flaws do not count
    around = _NORMAL_SPREAD * blur(beside) / np.maximum(left, np.float32(1e-3))
    # what was cleared (hairs, say) was no grain: what is left around it tells more
    usual = np.where(left > _ENOUGH_AROUND * CELL**2, np.minimum(usual, around), usual) ** 2
    tone = blur(light) / weight
    gain = diagonal_gain(grain.size_px, d)
    model = grain.sigma(tone).astype(np.float32) ** 2 * np.float32(gain)
    peaked = same / np.maximum((blur(inside) / weight) ** 2, np.float32(1e-12))
    least, most = _MOST_OVER_MODEL
    relief = np.clip((_PEAKED[1] - peaked) / (_PEAKED[1] - _PEAKED[0]), 0, 1)
    wanted = np.minimum((least + (most - least) * relief) * model, blur(usual))
    # against `same`, of these very pixels: unchanged is not missing
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

