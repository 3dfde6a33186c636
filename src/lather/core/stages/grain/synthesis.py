"""Grain made new: the same noise at the same place of the picture at every level, so that tiles meet.

Two planes of noise that repeat after 1024 and 960 px are added: together they repeat only after 15360 px, and no pixel
has to be made anew for each tile.
"""

from functools import lru_cache

import cv2
import numpy as np
from numba import njit

from lather.core.types import Rect

_PERIODS = (1024, 960)
_SHIFT = 15360  # the common period: margins left of and above the picture stay positive
_COLOUR_SHIFT = 271  # px between the places that the colour noise of each channel is taken from, and luminance noise


@njit(cache=True, nogil=True)
def _noise(salt, out):  # pragma: no cover - compiled
    """Nearly normal noise from a hash of the place: three uniform numbers, summed."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            h = np.uint32(x) * np.uint32(374761393) + np.uint32(y) * np.uint32(668265263) + np.uint32(salt)
            total = np.float32(0.0)
            for _ in range(3):
                h = (h ^ (h >> np.uint32(13))) * np.uint32(1274126177)
                h = h ^ (h >> np.uint32(16))
                total += np.float32(h & np.uint32(0xFFFF)) / np.float32(65536.0) - np.float32(0.5)
            out[y, x] = total * np.float32(2.0)


@lru_cache(maxsize=8)
def _planes(size_px: float) -> tuple[np.ndarray, np.ndarray]:
    """Two planes whose sum has standard deviation 1, blurred by `size_px`, each going round its own period."""
    return tuple(_plane(period, size_px, salt) for salt, period in enumerate(_PERIODS))


def _plane(period: int, size_px: float, salt: int) -> np.ndarray:
    noise = np.empty((period, period), np.float32)
    _noise(7919 * salt, noise)
    if size_px > 0.2:
        margin = int(np.ceil(4 * size_px)) + 1
        kernel = cv2.getGaussianKernel(2 * margin + 1, size_px).ravel()
        wide = cv2.copyMakeBorder(noise, *(4 * [margin]), cv2.BORDER_WRAP)
        wide = cv2.sepFilter2D(wide, cv2.CV_32F, kernel, kernel) / np.float32((kernel**2).sum())
        noise = np.ascontiguousarray(wide[margin:-margin, margin:-margin])
    noise /= np.float32(np.sqrt(2) * noise.std())
    noise.setflags(write=False)
    return noise


def _places(start: int, end: int) -> np.ndarray:
    """(2, 4, n) int32: where in each plane the luminance noise and the colours' noise of a row of pixels is."""
    at = np.arange(start, end) + _SHIFT + _COLOUR_SHIFT * np.arange(4)[:, None]
    return np.stack([at % period for period in _PERIODS]).astype(np.int32)


@njit(cache=True, nogil=True, fastmath=True)
def _fill(first, second, xs, ys, chroma_share, out):  # pragma: no cover - compiled
    scale = np.float32(1 / np.sqrt(1 + chroma_share * chroma_share))
    share = np.float32(chroma_share)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            light = first[ys[0, 0, y], xs[0, 0, x]] + second[ys[1, 0, y], xs[1, 0, x]]
            for c in range(3):
                out[y, x, c] = light
                if share > 0:
                    k = c + 1
                    colour = first[ys[0, k, y], xs[0, k, x]] + second[ys[1, k, y], xs[1, k, x]]
                    out[y, x, c] = scale * (light + share * colour)


@njit(cache=True, nogil=True, fastmath=True)
def _add(first, second, xs, ys, level, chroma_share, cells, u, v, touched, across, down, out):  # pragma: no cover
    """See `add_grain`. u (w,), v (h,): places in cells. across (w,), down (h,): what each column and row counts."""
    scale, share = np.float32(1 / np.sqrt(1 + chroma_share * chroma_share)), np.float32(chroma_share)
    rows, columns = cells.shape
    for y in range(touched.shape[0]):
        j = min(max(int(np.floor(v[y])), 0), rows - 2)
        below = min(max(v[y] - j, np.float32(0.0)), np.float32(1.0))
        for x in range(touched.shape[1]):
            if not touched[y, x]:
                continue
            i = min(max(int(np.floor(u[x])), 0), columns - 2)
            along = min(max(u[x] - i, np.float32(0.0)), np.float32(1.0))
            top = cells[j, i] + along * (cells[j, i + 1] - cells[j, i])
            low = cells[j + 1, i] + along * (cells[j + 1, i + 1] - cells[j + 1, i])
            sigma = (top + below * (low - top)) * across[x] * down[y] * scale
            if sigma == 0:
                continue
            light = first[ys[0, 0, y], xs[0, 0, x]] + second[ys[1, 0, y], xs[1, 0, x]]
            a, b = y >> level, x >> level
            for c in range(3):
                colour = np.float32(0.0)
                if share > 0:
                    k = c + 1
                    colour = share * (first[ys[0, k, y], xs[0, k, x]] + second[ys[1, k, y], xs[1, k, x]])
                out[a, b, c] += sigma * (light + colour)


def grain_noise(rect: Rect, *, size_px: float, chroma_share: float = 0.0) -> np.ndarray:
    """Noise of standard deviation 1, float32 (h, w, 3), fixed to the picture. rect: at level 0.

    size_px: Gaussian radius of a grain. chroma_share: colour noise against luminance noise, 0-1.
    """
    out = np.empty((rect.height, rect.width, 3), np.float32)
    xs, ys = _places(rect.x0, rect.x1), _places(rect.y0, rect.y1)
    _fill(*_planes(round(size_px, 2)), xs, ys, round(chroma_share, 2), out)
    return out


def add_grain(
    out: np.ndarray, rect: Rect, level: int, cells: np.ndarray, at: Rect, touched: np.ndarray, *,
    cell: int, size_px: float, chroma_share: float, amount: float, bounds: Rect,
) -> None:
    """Add noise where `touched` to `out`, float32 (h, w, 3), the pixels of `level` over `rect`.

    rect: of level 0, whole pixels of the level. cells (at least 2×2): standard deviation in the middles of the cells
    `at` of `cell` px, interpolated between. Higher levels get the mean of the pixels beneath, as any picture;
    bounds: the picture, whose edge repeats where it is odd.
    """
    across = _counts(rect.x0, rect.x1, bounds.x1, level)
    down = _counts(rect.y0, rect.y1, bounds.y1, level) * np.float32(amount)
    u = ((np.arange(rect.x0, rect.x1) + 0.5) / cell - at.x0 - 0.5).astype(np.float32)
    v = ((np.arange(rect.y0, rect.y1) + 0.5) / cell - at.y0 - 0.5).astype(np.float32)
    _add(
        *_planes(round(size_px, 2)), _places(rect.x0, rect.x1), _places(rect.y0, rect.y1), level,
        round(chroma_share, 2), cells, u, v, touched, across, down, out,
    )


def _counts(start: int, end: int, size: int, level: int) -> np.ndarray:
    """What each pixel of a row counts in the mean of its pixel of a level."""
    counts = np.full(end - start, 0.5**level, np.float32)
    for n in range(level):
        if size % 2:
            counts[(np.arange(start, end) >> n) == size - 1] *= 2
        size = (size + 1) // 2
    return counts
