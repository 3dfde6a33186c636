"""Parting skin: tone = low-pass, texture = picture − tone; the two always add up to the picture.

The low-pass is a Gaussian, or the guided filter with the picture as its own guide (He, Sun and Tang 2010), which keeps
edges, so that no halo stands at jaw and lips.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from lather.core.errors import RequestError
from lather.core.stages.patches.kind import Read
from lather.core.types import EncodedRGB, Rect

BANDS = ("tone", "texture", "blotch", "veil")
BLOTCH_TIMES = 5.0  # the third band lies between the split width and this many times it
_EDGE = 0.15  # contrast (encoded) from which the guided filter keeps an edge
_WIDTH_RANGE = (0.5, 200.0)
_LARGE = 600_000  # values from which a picture is worked in two halves
WORKERS = ThreadPoolExecutor(2, "split")
"""For arithmetic only: a task here never reads a layer, so it never waits for one."""


@dataclass(frozen=True)
class BandSettings:
    """Of a Split layer. width_px: sigma of the low-pass. edge_keeping: guided filter in place of the Gaussian.

    band: tone, texture, blotch (between the split width and five times it), or veil (the whole picture).
    """

    band: str = "tone"
    width_px: float = 6.0
    edge_keeping: bool = True

    def __post_init__(self):
        if self.band not in BANDS:
            raise RequestError(f"There is no band “{self.band}”; choose from {', '.join(BANDS)}.")
        if not _WIDTH_RANGE[0] <= self.width_px <= _WIDTH_RANGE[1]:
            raise RequestError(f"A split width of {self.width_px:g} px is outside 0.5 to 200 px.")

    @classmethod
    def of(cls, settings: dict) -> "BandSettings":
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
    if edge_keeping:
        return 2 * _box_radius(width_px) + 1 + int(np.ceil(1.5 * width_px))
    return int(np.ceil(3.5 * width_px)) + 1


def _box_radius(width_px: float) -> int:
    """Radius of the box whose spread is that of a Gaussian (the filter runs two boxes)."""
    return max(1, round(width_px * 1.22))


def low_pass(pixels: EncodedRGB, width_px: float, edge_keeping: bool) -> EncodedRGB:
    """float32 (h, w, c) of the same size; the border repeats."""
    if not edge_keeping:
        side = 2 * int(np.ceil(3.5 * width_px)) + 1
        return cv2.GaussianBlur(pixels, (side, side), width_px, borderType=cv2.BORDER_REPLICATE)
    how = {"radius": _box_radius(width_px), "edge": _EDGE, "smooth_px": 0.6 * width_px}
    middle, margin = pixels.shape[0] // 2, low_pass_halo(width_px, True)
    if pixels.size < _LARGE or middle <= margin:  # halves that each need the whole picture save nothing
        return guided(pixels, **how)
    lower = WORKERS.submit(lambda: guided(pixels[middle - margin :], **how)[margin:])
    upper = guided(pixels[: middle + margin], **how)[:middle]
    return np.concatenate([upper, lower.result()])


def guided(pixels: EncodedRGB, radius: int, edge: float, *, smooth_px: float = 0.0) -> EncodedRGB:
    """Guided filter, each channel its own guide. edge: contrast (encoded, 0-1) from which edges are kept.

    smooth_px: edges are looked for in the picture smoothed by this sigma, so that pores are none.
    """
    side = (2 * radius + 1, 2 * radius + 1)

    def mean(values):
        return cv2.blur(values, side, borderType=cv2.BORDER_REPLICATE)

    average = mean(pixels)
    if smooth_px > 0.3:
        k = 2 * int(np.ceil(2.5 * smooth_px)) + 1
        seen = cv2.GaussianBlur(pixels, (k, k), smooth_px, borderType=cv2.BORDER_REPLICATE)
        middle = mean(seen)
    else:
        seen, middle = pixels, average
    square = cv2.sqrBoxFilter(seen, cv2.CV_32F, side, borderType=cv2.BORDER_REPLICATE)
    gain, rest = np.empty_like(average), np.empty_like(average)
    _line(average, middle, square, np.float32(edge * edge), gain, rest)
    gain, rest = mean(gain), mean(rest)
    return cv2.add(cv2.multiply(gain, pixels), rest)


@njit(cache=True, nogil=True, fastmath=True)
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


def band_reader(read: Read, settings: BandSettings, bounds: Rect) -> Read:
    """`read` as a band sees it; rectangles are read wider, so that tiles meet."""
    if settings.band == "veil":
        return read

    def band(rect: Rect) -> EncodedRGB:
        wide = rect.expand(settings.halo).intersect(bounds)
        pixels = read(wide)
        tone = low_pass(pixels, settings.width_px, settings.edge_keeping)
        if settings.band == "texture":
            out = pixels - tone
        elif settings.band == "tone":
            out = tone
        else:
            out = tone - low_pass(pixels, settings.width_px * BLOTCH_TIMES, settings.edge_keeping)
        return np.ascontiguousarray(out[rect.slices(wide)])

    return band


def part(pixels: EncodedRGB, width_px: float, edge_keeping: bool = True) -> tuple[EncodedRGB, EncodedRGB]:
    """(tone, texture) of a whole picture; their sum is the picture to the last bit of float32 rounding."""
    tone = low_pass(pixels, width_px, edge_keeping)
    return tone, pixels - tone
