"""Parting skin: tone = low-pass, texture = picture − tone; the two always add up to the picture.

The low-pass is a Gaussian, or the guided filter with the picture as its own guide (He, Sun and Tang 2010), which keeps
edges, so that no halo stands at jaw and lips.
"""

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.loops import loop
from lather.core.phrases import phrase
from lather.core.stages.patches.kind import Read
from lather.core.threads import ARITHMETIC
from lather.core.types import EncodedRGB, Rect

BAND_LABELS = {"tone": "Tone", "texture": "Texture", "blotch": "Blotches", "veil": "Veil"}
BLOTCH_TIMES = 5.0  # the third band lies between the split width and this many times it
_EDGE = 0.15  # contrast (encoded) from which the guided filter keeps an edge
_LARGE = 600_000  # values from which a picture is worked in two halves


@dataclass(frozen=True)
class BandSettings:
    """Of a Split layer. width_px: sigma of the low-pass. edge_keeping: guided filter in place of the Gaussian.

    band: tone, texture, blotch (between the split width and five times it), or veil (the whole picture).
    """

    band: str = "tone"
    width_px: float = 6.0
    edge_keeping: bool = True

    def __post_init__(self):
        if self.band not in BAND_LABELS:
            raise RequestError(phrase("There is no band “%1”; choose from %2.", self.band, ", ".join(BAND_LABELS)))
        ranges.SPLIT_WIDTH_PX.check(self.width_px, "A split width")

    @classmethod
    def of(cls, settings: dict) -> "BandSettings":
        """Of a layer's settings; usual values where it has none. Raises RequestError."""
        return cls(
            str(settings.get("band", "tone")), float(settings.get("width_px", 6.0)),
            bool(settings.get("edge_keeping", True)),
        )

    @property
    def halo(self) -> int:
        """Pixels around a rectangle that its band is computed from."""
        wide = self.width_px * (BLOTCH_TIMES if self.band == "blotch" else 1.0)
        return low_pass_halo(wide, self.edge_keeping)


def low_pass_halo(width_px: float, edge_keeping: bool) -> int:
    """Pixels around a place that the low-pass reads."""
    if edge_keeping:
        return guided_halo(_box_radius(width_px)) + int(np.ceil(1.5 * width_px))
    return int(np.ceil(3.5 * width_px)) + 1


def guided_halo(radius: int) -> int:
    """Pixels around a rectangle that the guided filter of a radius looks at."""
    return 2 * radius + 1 + 2 * _cell(radius)


def _box_radius(width_px: float) -> int:
    """Radius of the box whose spread is that of a Gaussian (the filter runs two boxes)."""
    return max(1, round(width_px * 1.22))


@cache
def _cell(radius: int) -> int:
    """Side in pixels of the cells that boxes of a radius are summed from: five to nine, as nearly a box as can be."""
    box = 2 * radius + 1
    sides = range(max(1, -(-box // 9)), max(1, box // 5) + 1)
    return min(sides, key=lambda side: abs(_cells_in_box(radius, side) * side - box))


def _cells_in_box(radius: int, cell: int) -> int:
    """The odd number of cells that comes nearest to a box."""
    return 2 * max(1, round(((2 * radius + 1) / cell - 1) / 2)) + 1


def low_pass(
    pixels: EncodedRGB, width_px: float, edge_keeping: bool, corner: tuple[int, int] = (0, 0)
) -> EncodedRGB:
    """float32 (h, w, 3) of the same size; the border repeats. corner: x, y of the first pixel in the whole picture."""
    if not edge_keeping:
        side = 2 * int(np.ceil(3.5 * width_px)) + 1
        return cv2.GaussianBlur(pixels, (side, side), width_px, borderType=cv2.BORDER_REPLICATE)
    how = {"radius": _box_radius(width_px), "edge": _EDGE, "smooth_px": 0.6 * width_px}
    middle, margin = pixels.shape[0] // 2, low_pass_halo(width_px, True)
    if pixels.size < _LARGE or middle <= margin:  # halves that each need the whole picture save nothing
        return guided(pixels, **how, corner=corner)
    start = middle - margin
    half = ARITHMETIC.submit(lambda: guided(pixels[start:], **how, corner=(corner[0], corner[1] + start))[margin:])
    upper = guided(pixels[: middle + margin], **how, corner=corner)[:middle]
    return np.concatenate([upper, half.result()])


def guided(
    pixels: EncodedRGB, radius: int, edge: float, *, smooth_px: float = 0.0, corner: tuple[int, int] = (0, 0)
) -> EncodedRGB:
    """Guided filter, each channel its own guide. edge: contrast (encoded, 0-1) from which edges are kept.

    smooth_px: edges are looked for in the picture smoothed by this sigma, so that pores are none. Boxes are summed
    from cells of a grid fixed to the whole picture, in which `corner` is x, y of the first pixel (He and Sun 2015).
    """
    cell = _cell(radius)
    away = corner[0] % cell, corner[1] % cell
    columns, rows = (-(-(n + a) // cell) for n, a in zip(pixels.shape[1::-1], away))
    average, square = pixels, None
    if cell > 1:
        average, square = np.empty((2, rows, columns, 3), np.float32)
        _cell_means(pixels, cell, *away, average, square)
    side = (_cells_in_box(radius, cell),) * 2

    def mean(values):
        return cv2.blur(values, side, borderType=cv2.BORDER_REPLICATE)

    if smooth_px > 0.3:
        fine = smooth_px / cell
        k = 2 * int(np.ceil(2.5 * fine)) + 1
        seen = cv2.GaussianBlur(average, (k, k), fine, borderType=cv2.BORDER_REPLICATE)
        middle, square = mean(seen), cv2.sqrBoxFilter(seen, cv2.CV_32F, side, borderType=cv2.BORDER_REPLICATE)
        average = mean(average)
    else:
        square = mean(cv2.multiply(pixels, pixels) if square is None else square)
        average = middle = mean(average)
    gain, rest = np.empty_like(average), np.empty_like(average)
    _line(average, middle, square, np.float32(edge * edge), gain, rest)
    gain, rest = mean(gain), mean(rest)
    if cell == 1:
        return cv2.add(cv2.multiply(gain, pixels), rest)
    out = np.empty(pixels.shape, np.float32)
    down, right = (_between_cells(n, cell, a) for n, a in zip(pixels.shape, away[::-1]))
    _on_the_line(pixels, gain, rest, down, right, out)
    return out


def _between_cells(size: int, cell: int, away: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of each pixel along a side: the cells whose middles it lies between, and its share of the way."""
    at = (np.arange(size) + away + 0.5) / cell - 0.5
    last = (size - 1 + away) // cell
    first = np.clip(np.floor(at), 0, last).astype(np.int32)
    return first, np.minimum(first + 1, last), np.clip(at - first, 0, 1).astype(np.float32)


@loop("f4[:, :, :], i8, i8, i8, f4[:, :, ::1], f4[:, :, ::1]", fastmath=True)
def _cell_means(pixels, cell, left, above, average, square):  # pragma: no cover - compiled
    """Of each cell the mean of its pixels, and of their squares; `left`, `above`: pixels of the first cells that are
    missing."""
    height, width = pixels.shape[:2]
    for row in range(average.shape[0]):
        average[row], square[row] = np.float32(0), np.float32(0)
        y0, y1 = max(row * cell - above, 0), min((row + 1) * cell - above, height)
        for y in range(y0, y1):
            for column in range(average.shape[1]):
                for x in range(max(column * cell - left, 0), min((column + 1) * cell - left, width)):
                    for c in range(3):
                        v = pixels[y, x, c]
                        average[row, column, c] += v
                        square[row, column, c] += v * v
        for column in range(average.shape[1]):
            x0, x1 = max(column * cell - left, 0), min((column + 1) * cell - left, width)
            share = np.float32(1) / np.float32((y1 - y0) * (x1 - x0))
            for c in range(3):
                average[row, column, c] *= share
                square[row, column, c] *= share


@loop("f4[:, :, ::1], f4[:, :, ::1], f4[:, :, ::1], f4, f4[:, :, ::1], f4[:, :, ::1]", fastmath=True)
def _line(average, middle, square, edge, gain, rest):  # pragma: no cover - compiled
    """Of each pixel's box: the line from the picture to the smoothed picture, that is gain · picture + rest."""
    for y in range(average.shape[0]):
        for x in range(average.shape[1]):
            for c in range(average.shape[2]):
                m = middle[y, x, c]
                variance = max(square[y, x, c] - m * m, np.float32(0))
                a = variance / (variance + edge)
                gain[y, x, c] = a
                rest[y, x, c] = average[y, x, c] * (np.float32(1) - a)


@loop(
    "f4[:, :, :], f4[:, :, ::1], f4[:, :, ::1], (i4[::1], i4[::1], f4[::1]), (i4[::1], i4[::1], f4[::1]), "
    "f4[:, :, ::1]",
    fastmath=True,
)
def _on_the_line(pixels, gain, rest, down, across, out):  # pragma: no cover - compiled
    """gain · pixels + rest, both interpolated between cells; see `_between_cells`."""
    height, width = pixels.shape[:2]
    (up, low, part), (left, right, along) = down, across
    own = np.empty((2, gain.shape[1], 3), np.float32)
    for y in range(height):
        i, j, t = up[y], low[y], part[y]
        for x in range(gain.shape[1]):
            for c in range(3):
                own[0, x, c] = gain[i, x, c] + t * (gain[j, x, c] - gain[i, x, c])
                own[1, x, c] = rest[i, x, c] + t * (rest[j, x, c] - rest[i, x, c])
        for x in range(width):
            a, b, u = left[x], right[x], along[x]
            for c in range(3):
                g = own[0, a, c] + u * (own[0, b, c] - own[0, a, c])
                out[y, x, c] = g * pixels[y, x, c] + own[1, a, c] + u * (own[1, b, c] - own[1, a, c])


def band_reader(read: Read, settings: BandSettings, bounds: Rect) -> Read:
    """`read` as a band sees it; rectangles are read wider, so that tiles meet."""
    if settings.band == "veil":
        return read

    def band(rect: Rect) -> EncodedRGB:
        wide = rect.expand(settings.halo).intersect(bounds)
        pixels = read(wide)
        tone = low_pass(pixels, settings.width_px, settings.edge_keeping, wide[:2])
        if settings.band == "texture":
            out = pixels - tone
        elif settings.band == "tone":
            out = tone
        else:
            out = tone - low_pass(pixels, settings.width_px * BLOTCH_TIMES, settings.edge_keeping, wide[:2])
        return np.ascontiguousarray(out[rect.slices(wide)])

    return band


def part(pixels: EncodedRGB, width_px: float, edge_keeping: bool = True) -> tuple[EncodedRGB, EncodedRGB]:
    """(tone, texture) of a whole picture; their sum is the picture to the last bit of float32 rounding."""
    tone = low_pass(pixels, width_px, edge_keeping)
    return tone, pixels - tone
