"""Shares of all parts over a square or over the whole photo, and how they are laid on the photo's own pixels.

A sheet is coarse. At whatever level it is read, its lines (share = slope · colour + rest, around each of its pixels)
are laid on the pixels there: the fast guided filter with a colour guide (He et al. 2013; He and Sun 2015), so that a
border follows what is seen. They are fitted twice, the second time more narrowly and to shares drawn apart: what lies
between two parts is a pixel or two, but for hair.
"""

from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from lather.core.job.part_strokes import PART_NAMES, PartStroke
from lather.core.recent import Recent
from lather.core.types import EncodedRGB, Mask, Rect

_LINES_KEPT = 24
_EPSILON = 3e-4
_HARDLY = 6  # share of 255 under which a part is not there
_APART, _NARROWER, _LAST_APART = np.float32(1.6), 0.5, np.float32(1.3)
"""How much shares are drawn apart after the first fit; the second one's radius over the first's; at the last."""


@dataclass(eq=False)
class Sheet:
    """to_sheet: (2, 3), source px to px of the sheet, pixel corners at whole numbers. shares: uint8 (h, w, parts), 255
    is all. guide: float32 (h, w, 3), the photo's own values there. weight: float32 (h, w), how far the sheet is
    believed beside coarser ones. radius: px of the sheet over which a line is fitted at first.
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
        return not self._box(rect, level).empty

    def parts_in(self, rect: Rect, level: int) -> set[int]:
        """Numbers of the parts that have any share in a rectangle of a level, or right beside it."""
        box = self._box(rect, level)
        if box.empty:
            return set()
        most = self.shares[box.y0 : box.y1, box.x0 : box.x1].reshape(-1, self.shares.shape[-1]).max(0)
        return set(np.flatnonzero(most >= _HARDLY).tolist())

    def _box(self, rect: Rect, level: int) -> Rect:
        """Pixels of the sheet around a rectangle of a level, as far as lines are fitted."""
        corners = np.array([(x << level, y << level, 1) for x in (rect.x0, rect.x1) for y in (rect.y0, rect.y1)])
        places = corners @ self.to_sheet.T
        low, high = np.floor(places.min(0)).astype(int), np.ceil(places.max(0)).astype(int)
        height, width = self.weight.shape
        more = 2 * self.radius
        inside = Rect(int(low[0]), int(low[1]), int(high[0]), int(high[1])).intersect(Rect(0, 0, width, height))
        return inside if inside.empty else inside.expand(more).intersect(Rect(0, 0, width, height))

    def laid(self, numbers: tuple[int, ...], guide: EncodedRGB, rect: Rect, level: int) -> Mask:
        """Share 0-1 of some parts over a rectangle of a level. guide: (h, w, 3), the photo's values there."""
        return _told(self.warped(self._lines_of(numbers), rect, level), guide)

    def drawn(self, numbers: tuple[int, ...]) -> Mask:
        """The same over the sheet itself."""
        return _told(self._lines_of(numbers), self.guide)

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
    line = np.vstack([places, places[-1:]])  # a touch is a line of no length
    cv2.polylines(off, [np.round(line * 16).astype(np.int32)], False, 0, 1, cv2.LINE_8, 4)
    away = cv2.distanceTransform(off, cv2.DIST_L2, 5)
    return np.clip(radius + 0.5 - away, 0, 1)


def covered(stroke: PartStroke, rect: Rect, level: int) -> Mask | None:
    """Share 0-1 of the pixels of a rectangle of a level under a stroke; None where it does not come there."""
    step = 1 << level
    places, radius = np.array(stroke.points, float) / step, max(0.5, 0.5 * stroke.width_px / step)
    low, high = places.min(0) - radius - 1, places.max(0) + radius + 1
    if high[0] < rect.x0 or high[1] < rect.y0 or low[0] > rect.x1 or low[1] > rect.y1:
        return None
    room = int(np.ceil(radius)) + 2
    wide = rect.expand(room)
    cover = _stroke_cover(places - (wide.x0 + 0.5, wide.y0 + 0.5), radius, (wide.height, wide.width))
    return cover[room:-room, room:-room]


def _told(lines: np.ndarray, guide: EncodedRGB) -> Mask:
    """What lines (h, w, 4) say of colours (h, w, 3), drawn apart a last time: 0-1."""
    share = np.einsum("...i,...i->...", lines[..., :3], guide)
    share += lines[..., 3]
    return np.clip((share - np.float32(0.5)) * _LAST_APART + np.float32(0.5), 0, 1)


def _lines(guide: EncodedRGB, share: Mask, radius: int) -> np.ndarray:
    """(h, w, 4): slopes and rest of the share by the guide's colours, around each pixel."""
    first = _fitted(guide, share, radius)
    wide = np.einsum("...i,...i->...", first[..., :3], guide) + first[..., 3]
    apart = np.clip((wide - np.float32(0.5)) * _APART + np.float32(0.5), 0, 1)
    return _fitted(guide, apart, max(2, round(_NARROWER * radius)))


def _fitted(guide: EncodedRGB, share: Mask, radius: int) -> np.ndarray:
    """One fit: least squares in squares of 2 radius + 1 px, and the mean of all squares that a pixel lies in."""
    side = (2 * radius + 1,) * 2

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.blur(values, side, borderType=cv2.BORDER_REFLECT)

    r, g, b = (np.ascontiguousarray(guide[..., n]) for n in range(3))
    mean_r, mean_g, mean_b, mean_s = mean(r), mean(g), mean(b), mean(share)
    cov = [mean(one * share) - one_mean * mean_s for one, one_mean in ((r, mean_r), (g, mean_g), (b, mean_b))]
    rr, gg, bb = (mean(one * one) - one_mean**2 + _EPSILON for one, one_mean in ((r, mean_r), (g, mean_g), (b, mean_b)))
    rg, rb, gb = mean(r * g) - mean_r * mean_g, mean(r * b) - mean_r * mean_b, mean(g * b) - mean_g * mean_b
    # the inverse of the symmetric 3 × 3 covariance, by its adjugate
    a11, a12, a13 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
    a22, a23, a33 = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
    share_of = 1 / (rr * a11 + rg * a12 + rb * a13)
    slopes = [(a11 * cov[0] + a12 * cov[1] + a13 * cov[2]) * share_of,
              (a12 * cov[0] + a22 * cov[1] + a23 * cov[2]) * share_of,
              (a13 * cov[0] + a23 * cov[1] + a33 * cov[2]) * share_of]
    rest = mean_s - slopes[0] * mean_r - slopes[1] * mean_g - slopes[2] * mean_b
    return np.dstack([*(mean(slope) for slope in slopes), mean(rest)])
