"""How much of the edge across each contour of a person is left, stretch by stretch."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.people.contours import LABELS, Contour
from lather.core.types import EncodedRGB, Rect

FACE = ("jaw", "wing", "nostril", "lips", "lid")
"""Contours of a face; a retoucher who loses one of these is found out at once."""
EDGES = (*FACE, "hairline", "clothes", "limb", "person")
"""All whose edge is never to be mended away; folds and brows are softened by choice."""
_BESIDE = 0.3  # of a head's size, around what is looked at: there a contour says how steep it usually is
_STRETCH = 0.10  # of a head's size: what is looked at as one
_LEAST_POINTS = 5
_EDGE_DE = 5.0  # ΔE (76) across a stretch from which there is an edge to be lost
_FINE_PX = 2.0  # pixels of a level to a contour's width
_MARGIN = 2.5  # widths around what is read


@dataclass(frozen=True)
class Stretch:
    """what, person: of its contour. x, y: its middle, source px. kept: share of its edge, over 1 of a harder one."""

    what: str
    person: int
    x: float
    y: float
    kept: float

    @property
    def label(self) -> str:
        """What its contour is called."""
        return LABELS.get(self.what, self.what)


Read = Callable[[Rect, int], EncodedRGB]


def worst_stretches(
    contours: Sequence[Contour], before: Read, after: Read, bounds: Rect, profile: bytes | None, *,
    kinds: tuple[str, ...] = EDGES, within: Rect | None = None,
) -> list[Stretch]:
    """Of each contour the stretch that kept least, the worst first. within: only what of them lies in there.

    The difference of Lab one width to both sides, after along the direction it had before (or its mean along any: an
    edge of another colour is one), over what it was before, summed over a tenth of the head (a single pixel of grain is
    no edge). Where it was steeper than that contour usually is, something lay on it, and no more than the usual is to
    be kept.
    """
    found = []
    for contour in contours:
        if contour.what not in kinds:
            continue
        points, inside = contour.points, None
        if within is not None:
            if not _in(points, within).any():
                continue
            points = _run(points, within.expand(int(_BESIDE * contour.head_px)))
            inside = _in(points, within)
        if len(points) >= _LEAST_POINTS and (inside is None or inside.any()):
            stretch = _worst(contour, points, inside, before, after, bounds, profile)
            found += [stretch] if stretch is not None else []
    return sorted(found, key=lambda stretch: stretch.kept)


def _in(points: np.ndarray, rect: Rect) -> np.ndarray:
    return ((points >= (rect.x0, rect.y0)) & (points < (rect.x1, rect.y1))).all(1)


def _run(points: np.ndarray, rect: Rect) -> np.ndarray:
    """The longest run of points within a rectangle."""
    inside = _in(points, rect)
    runs = np.split(np.arange(len(points)), np.flatnonzero(np.diff(inside.astype(int))) + 1)
    runs = [run for run in runs if len(run) and inside[run[0]]]
    return points[max(runs, key=len)] if runs else points[:0]


def _worst(contour: Contour, points: np.ndarray, inside: np.ndarray | None, before: Read, after: Read, bounds: Rect,
           profile) -> Stretch | None:
    """inside: True (n,) of the points that count, None for all; the others only say what is usual."""
    width = contour.width_px
    level = max(0, int(np.log2(max(1.0, width / _FINE_PX))))
    low, high = points.min(0) - _MARGIN * width - 2, points.max(0) + _MARGIN * width + 2
    rect = Rect(*np.floor(low).astype(int), *np.ceil(high).astype(int)).intersect(bounds).at_level(level)
    rect = rect.intersect(bounds.at_level(level))
    if rect.empty or min(rect.width, rect.height) < 4:
        return None
    along = np.gradient(points, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-6)[:, None]
    across = np.column_stack([-along[:, 1], along[:, 0]])
    steps = [_across(read(rect, level), rect, level, points, width * across, profile) for read in (before, after)]
    was = np.linalg.norm(steps[0], axis=1)
    now = (steps[0] * steps[1]).sum(1) / np.maximum(was, 1e-6)
    spacing = max(float(np.median(np.hypot(*np.diff(points, axis=0).T))), 1e-6)
    span = min(len(points), max(_LEAST_POINTS, round(_STRETCH * contour.head_px / spacing)))
    window = np.ones(span)
    edge, left = (np.convolve(values, window, "valid") / span for values in (was, now))
    # as of teeth or eyes that are whiter; the mean vector, so that grain is none
    other = np.linalg.norm([np.convolve(values, window, "valid") / span for values in steps[1].T], axis=0)
    left = np.maximum(left, other)
    clear = edge >= _EDGE_DE
    usual = float(np.median(edge))
    if inside is not None:
        counts = np.convolve(inside.astype(float), window, "valid") > 0
        clear &= counts
        usual = float(np.median(edge[~counts])) if (~counts).any() else usual
    if not clear.any():
        return None
    kept = np.where(clear, left / np.maximum(np.minimum(edge, max(usual, _EDGE_DE)), 1e-6), np.inf)
    number = int(kept.argmin())
    x, y = points[number + span // 2]
    return Stretch(contour.what, contour.person, float(x), float(y), float(kept[number]))


def _across(pixels: EncodedRGB, rect: Rect, level: int, points, offset, profile) -> np.ndarray:
    """Lab on one side less the other (n, 3), one width off a contour."""
    lab = cv2.GaussianBlur(profiles.to_lab(pixels, profile).astype(np.float32), (0, 0), 0.8)
    sides = []
    for sign in (1, -1):
        at = ((points + sign * offset) / (1 << level) - (rect.x0, rect.y0) - 0.5).astype(np.float32)[None]
        sides.append(cv2.remap(lab, at[..., 0].copy(), at[..., 1].copy(), cv2.INTER_LINEAR,
                               borderMode=cv2.BORDER_REPLICATE)[0])
    return sides[0] - sides[1]
