"""Grain made new: the same noise at the same place of the picture at every level, so that tiles meet.

Two planes of noise that repeat after 1024 and 960 px are added: together they repeat only after 15360 px, and no pixel
has to be made anew for each tile.
"""

from functools import lru_cache

import cv2
import numpy as np

from lather.core.loops import loop
from lather.core.types import TILE, Rect

_PERIODS = (1024, 960)
_SHIFT = 15360  # the common period: margins left of and above the picture stay positive
_ROWS = np.array([[period + TILE] for period in _PERIODS], np.int32)  # px in a row of each plane
_COLOUR_SHIFT = 271  # px between the places that the colour noise of each channel is taken from, and luminance noise


@loop("i8, f4[:, ::1]")
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


@lru_cache(maxsize=4)
def _planes(size_px: float, chroma_share: float) -> tuple[np.ndarray, np.ndarray]:
    """Two planes (n, n + TILE, 3) whose sum has standard deviation 1, of grains of `size_px`, each going round its
    period; the first columns of a plane stand once more at its end, so that a tile's row lies there in one piece.
    """
    planes = []
    for salt, period in enumerate(_PERIODS):
        light = _plane(period, size_px, salt)
        plane = np.repeat(light[..., None], 3, -1)
        if chroma_share > 0:
            for channel in range(3):
                away = -_COLOUR_SHIFT * (channel + 1)
                plane[..., channel] += np.float32(chroma_share) * np.roll(light, (away, away), (0, 1))
        plane = np.concatenate([plane, plane[:, :TILE]], 1) / np.float32(np.sqrt(1 + chroma_share**2))
        plane.setflags(write=False)
        planes.append(plane)
    return tuple(planes)


def _plane(period: int, size_px: float, salt: int) -> np.ndarray:
    noise = np.empty((period, period), np.float32)
    _noise(7919 * salt, noise)
    if size_px > 0.2:
        margin = int(np.ceil(4 * size_px)) + 1
        kernel = cv2.getGaussianKernel(2 * margin + 1, size_px).ravel()
        wide = cv2.copyMakeBorder(noise, *(4 * [margin]), cv2.BORDER_WRAP)
        wide = cv2.sepFilter2D(wide, cv2.CV_32F, kernel, kernel) / np.float32((kernel**2).sum())
        noise = np.ascontiguousarray(wide[margin:-margin, margin:-margin])
    return noise / np.float32(np.sqrt(2) * noise.std())


def _places(start: int, end: int) -> np.ndarray:
    """(2, n) int32: where in each plane a row of pixels is."""
    at = np.arange(start, end) + _SHIFT
    return np.stack([at % period for period in _PERIODS]).astype(np.int32)


@loop(
    "const(f4[::1]), const(f4[::1]), i4[::1], i4[:, ::1], i8, f4[:, ::1], f4[::1], f4[::1], u1[:, :], f4[::1], "
    "f4[::1], i8, i8",
    fastmath=True,
)
def _add(first, second, starts, rows, level, cells, u, v, touched, counts, out, begin, stride):  # pragma: no cover
    """See `add_grain`; all but `cells` and `touched` lie flat, so that many values are added at a time.

    first, second: planes, row by row. starts: where a row begins in each plane. rows (2, h). u (w,), v (h,): places in
    cells. counts: what each column, then each row counts. out: of `stride` values a row, from `begin` on.
    """
    height, width = touched.shape
    between, sigma = np.empty(cells.shape[1], np.float32), np.empty(3 * width, np.float32)
    for y in range(height):
        j = min(max(int(np.floor(v[y])), 0), cells.shape[0] - 2)
        below = min(max(v[y] - np.float32(j), np.float32(0)), np.float32(1))
        any_here = False
        for k in range(between.shape[0]):
            between[k] = (cells[j, k] + below * (cells[j + 1, k] - cells[j, k])) * counts[width + y]
            any_here |= between[k] != 0
        if not any_here:
            continue
        for x in range(width):
            i = min(max(int(u[x]), 0), between.shape[0] - 2)
            along = min(max(u[x] - np.float32(i), np.float32(0)), np.float32(1))
            own = (between[i] + along * (between[i + 1] - between[i])) * counts[x] * np.float32(touched[y, x])
            sigma[3 * x], sigma[3 * x + 1], sigma[3 * x + 2] = own, own, own
        p, q, b = 3 * (rows[0, y] + starts[0]), 3 * (rows[1, y] + starts[1]), begin + (y >> level) * stride
        if level == 0:
            for k in range(3 * width):
                out[b + k] += sigma[k] * (first[p + k] + second[q + k])
        else:
            for x in range(width):
                for c in range(3):
                    k = 3 * x + c
                    out[b + 3 * (x >> level) + c] += sigma[k] * (first[p + k] + second[q + k])


def grain_noise(rect: Rect, *, size_px: float, chroma_share: float = 0.0) -> np.ndarray:
    """Noise of standard deviation 1, float32 (h, w, 3), fixed to the picture. rect: at level 0.

    size_px: Gaussian radius of a grain. chroma_share: colour noise against luminance noise, 0-1.
    """
    first, second = _planes(round(size_px, 2), round(chroma_share, 2))
    (x1, x2), (y1, y2) = _places(rect.x0, rect.x1), _places(rect.y0, rect.y1)
    return first[np.ix_(y1, x1)] + second[np.ix_(y2, x2)]


def add_grain(
    out: np.ndarray, seen: Rect, rect: Rect, level: int, cells: np.ndarray, at: Rect, touched: np.ndarray, *,
    cell: int, size_px: float, chroma_share: float, amount: float, bounds: Rect, quick: bool = False,
) -> None:
    """Add noise where `touched` to a part of `out`, float32 (h, w, 3), contiguous, the pixels `seen` of `level`.

    rect: the part, of level 0, whole pixels of the level, no wider than a tile. cells (at least 2×2): standard
    deviation in the middles of the cells `at` of `cell` px, interpolated between. Higher levels get the mean of the
    pixels beneath, as any picture; bounds: the picture, whose edge repeats where it is odd. quick: one value of noise
    for each pixel of a level, as strong as their mean is: for what is looked at for a moment.
    """
    first, second = _planes(round(size_px, 2), round(chroma_share, 2))
    if quick and level:
        share = np.float32(amount * _spread_of_mean(round(size_px, 2), level))
        _add_quick(first, second, *_places(rect.x0, rect.x0 + 1)[:, 0], _places(rect.y0, rect.y1), level, cells, cell,
                   rect.x0 - at.x0 * cell, rect.y0 - at.y0 * cell, touched, share, out,
                   (rect.x0 >> level) - seen.x0, (rect.y0 >> level) - seen.y0)
        return
    across = _counts(rect.x0, rect.x1, bounds.x1, level)
    down = _counts(rect.y0, rect.y1, bounds.y1, level) * np.float32(amount)
    u = ((np.arange(rect.x0, rect.x1) + 0.5) / cell - at.x0 - 0.5).astype(np.float32)
    v = ((np.arange(rect.y0, rect.y1) + 0.5) / cell - at.y0 - 0.5).astype(np.float32)
    begin = 3 * (((rect.y0 >> level) - seen.y0) * seen.width + (rect.x0 >> level) - seen.x0)
    starts, rows = _places(rect.x0, rect.x0 + 1)[:, 0], _places(rect.y0, rect.y1) * _ROWS
    _add(
        first.reshape(-1), second.reshape(-1), starts, rows, level, cells, u, v, touched,
        np.concatenate([across, down]), out.reshape(-1, copy=False), begin, 3 * seen.width,
    )


@lru_cache(maxsize=32)
def _spread_of_mean(size_px: float, level: int) -> float:
    """Standard deviation of the mean of the noise beneath a pixel of a level, against that of the noise."""
    light = _plane(_PERIODS[0], size_px, 0)
    side = 1 << level
    return float(light.reshape(_PERIODS[0] // side, side, _PERIODS[0] // side, side).mean((1, 3)).std() / light.std())


@loop(
    "const(f4[:, :, ::1]), const(f4[:, :, ::1]), i4, i4, i4[:, ::1], i8, f4[:, ::1], i8, i8, i8, u1[:, :], f4, "
    "f4[:, :, ::1], i8, i8",
    fastmath=True,
)
def _add_quick(first, second, x1, x2, rows, level, cells, cell, left, top, touched, share, out, x0, y0):
    """See `add_grain`. x1, x2: column of the first pixel in each plane. left, top: px from the first cell's corner."""
    step = 1 << level
    for y in range(0, touched.shape[0], step):
        v = min(max((top + y + 0.5 * step) / cell - 0.5, 0.0), cells.shape[0] - 1.001)
        j = int(v)
        r1, r2, row = rows[0, y], rows[1, y], y0 + (y >> level)
        for x in range(0, touched.shape[1], step):
            if not touched[y, x]:
                continue
            u = min(max((left + x + 0.5 * step) / cell - 0.5, 0.0), cells.shape[1] - 1.001)
            i = int(u)
            s, t = np.float32(u - i), np.float32(v - j)
            upper = cells[j, i] + s * (cells[j, i + 1] - cells[j, i])
            sigma = share * (upper + t * (cells[j + 1, i] + s * (cells[j + 1, i + 1] - cells[j + 1, i]) - upper))
            column = x0 + (x >> level)
            for c in range(3):
                out[row, column, c] += sigma * (first[r1, x1 + x, c] + second[r2, x2 + x, c])


def _counts(start: int, end: int, size: int, level: int) -> np.ndarray:
    """What each pixel of a row counts in the mean of its pixel of a level."""
    counts = np.full(end - start, 0.5**level, np.float32)
    for n in range(level):
        if size % 2:
            counts[(np.arange(start, end) >> n) == size - 1] *= 2
        size = (size + 1) // 2
    return counts
