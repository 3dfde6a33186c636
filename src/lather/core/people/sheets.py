"""Shares of all parts over a square or over the whole photo, and how they are laid on the photo's own pixels.

A sheet is coarse. At whatever level it is read, its lines (share = slope × light + rest, around each of its pixels) are
laid on the pixels there: the fast guided filter (He and Sun 2015), so that a border follows what is seen.
"""

from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from lather.core.job.part_strokes import PART_NAMES, PartStroke
from lather.core.recent import Recent
from lather.core.types import Mask, Rect

_LINES_KEPT = 24
_EPSILON = 6e-4


@dataclass(eq=False)
class Sheet:
    """to_sheet: (2, 3), source px to px of the sheet, pixel corners at whole numbers. shares: uint8 (h, w, parts), 255
    is all. guide: float32 (h, w), the photo's own values there. weight: float32 (h, w), how far the sheet is believed
    beside coarser ones. radius: px of the sheet over which a line is fitted.
    """

    to_sheet: np.ndarray
    shares: np.ndarray
    guide: np.ndarray
    weight: Mask
    radius: int
    _lines: Recent = field(default_factory=lambda: Recent(_LINES_KEPT))

    def share(self, numbers: tuple[int, ...]) -> Mask:
        """Share 0-1 of some parts together, on the sheet."""
        total = self.shares[..., numbers[0]].astype(np.float32)
        for number in numbers[1:]:
            total += self.shares[..., number]
        return np.minimum(total * np.float32(1 / 255), 1)

    def painted(self, strokes: tuple[PartStroke, ...]) -> "Sheet":
        """With strokes laid over it that say what is there; their rims are soft over a pixel of the sheet."""
        shares = self.shares.astype(np.float32)
        px = float(np.hypot(*self.to_sheet[:, 0]))
        for stroke in strokes:
            places = np.array(stroke.points) @ self.to_sheet[:, :2].T + self.to_sheet[:, 2] - 0.5
            cover = _stroke_cover(places, max(0.5, 0.5 * stroke.width_px * px), self.weight.shape)
            wanted = np.zeros(shares.shape[-1], np.float32)
            wanted[PART_NAMES.index(stroke.part)] = 255
            shares += cover[..., None] * (wanted - shares)
        return replace(self, shares=np.clip(shares + 0.5, 0, 255).astype(np.uint8), _lines=Recent(_LINES_KEPT))

    def reaches(self, rect: Rect, level: int) -> bool:
        """False where no pixel of a rectangle of a level lies on the sheet."""
        corners = np.array([(x << level, y << level, 1) for x in (rect.x0, rect.x1) for y in (rect.y0, rect.y1)])
        low, high = (corners @ self.to_sheet.T).min(0), (corners @ self.to_sheet.T).max(0)
        height, width = self.weight.shape
        return bool(high[0] > 0 and high[1] > 0 and low[0] < width and low[1] < height)

    def laid(self, numbers: tuple[int, ...], guide: Mask, rect: Rect, level: int) -> Mask:
        """Share 0-1 of some parts over a rectangle of a level. guide: (h, w), the photo's values there."""
        lines = self.warped(self._lines_of(numbers), rect, level)
        return np.clip(lines[..., 0] * guide + lines[..., 1], 0, 1)

    def drawn(self, numbers: tuple[int, ...]) -> Mask:
        """The same over the sheet itself."""
        lines = self._lines_of(numbers)
        return np.clip(lines[..., 0] * self.guide + lines[..., 1], 0, 1)

    def _lines_of(self, numbers: tuple[int, ...]) -> np.ndarray:
        lines = self._lines.get(numbers)
        if lines is None:
            lines = _lines(self.guide, self.share(numbers), self.radius)
            self._lines.put(numbers, lines)
        return lines

    def believed(self, rect: Rect, level: int) -> Mask:
        """Its weight over a rectangle of a level; 0 outside it."""
        return self.warped(self.weight, rect, level, cv2.BORDER_CONSTANT)

    def warped(self, values: np.ndarray, rect: Rect, level: int, border: int = cv2.BORDER_REPLICATE) -> np.ndarray:
        """Values of the sheet (h, w[, n]) over a rectangle of a level, as they are."""
        step = float(1 << level)
        to_source = np.array([[step, 0, (rect.x0 + 0.5) * step], [0, step, (rect.y0 + 0.5) * step], [0, 0, 1]])
        matrix = self.to_sheet @ to_source
        matrix[:, 2] -= 0.5
        return cv2.warpAffine(np.ascontiguousarray(values), matrix, (rect.width, rect.height), borderMode=border,
                              flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def _stroke_cover(places: np.ndarray, radius: float, shape: tuple[int, int]) -> Mask:
    """Share 0-1 under a round pen drawn through places (n, 2) px of a picture."""
    off = np.full(shape, 255, np.uint8)
    cv2.polylines(off, [np.round(places * 16).astype(np.int32)], False, 0, 1, cv2.LINE_8, 4)
    away = cv2.distanceTransform(off, cv2.DIST_L2, 5)
    return np.clip(radius + 0.5 - away, 0, 1)


def _lines(guide: np.ndarray, share: Mask, radius: int) -> np.ndarray:
    """(h, w, 2): slope and rest of the share by the guide, around each pixel."""
    side = (2 * radius + 1,) * 2

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.blur(values, side, borderType=cv2.BORDER_REFLECT)

    guide_mean, share_mean = mean(guide), mean(share)
    slope = (mean(guide * share) - guide_mean * share_mean) / (mean(guide * guide) - guide_mean**2 + _EPSILON)
    return np.dstack([mean(slope), mean(share_mean - slope * guide_mean)])
