"""Where to take skin from: candidates around the place, ranked by how well they would fit.

Scored by the boundary fit that is left after a membrane (residual of a plane through the ring's differences,
non-skin parts of the ring weighted down), the texture energy in two bands, the shading (offset and slope of that
plane), blemishes inside (largest blob response), nearness, and use of the same skin before (repeats).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.stages.mend.boundary import fit_boundary
from lather.core.types import EncodedRGB, Mask, Rect

# cost of: boundary residual and plane offset (encoded RGB), slope across the place, |log texture ratio|,
# blob response over three times the usual, distance in sizes, log of the strongest texture over the ring's (hairs and
# edges), log of colour ratios (cloth). Set on plates of four sitters, two seeds each; edge and tint: five seeds each.
_COST = {"residual": 14.0, "offset": 1.2, "slope": 2.2, "texture": 0.25, "blob": 0.1, "distance": 0.015,
         "edge": 0.2, "tint": 3.0}
_REPEAT_COST, _FLAW_COST = 0.5, 1.2
_EDGE_FROM, _TINT_FROM = 2.2, 0.06
_FIT_PER_COST = 0.3  # only scales the label: the order of candidates is that of their cost
_DISTANCES = (1.12, 1.35, 1.65, 2.05, 2.6, 3.3)
_ANGLES = 28
_RING_POINTS = 64
_INNER_POINTS = 72
_LARGEST_WORK_SIDE = 26  # pixels of the painted area's shorter side at the scale the search works on
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
_REDNESS = np.array([1.0, -1.0, 0.0], np.float32)


@dataclass(frozen=True)
class Candidate:
    """`offset`: whole pixels from the place to the source. `fit`: 0-1, falls as the cost rises.

    It ranks candidates; it is no probability.
    """

    offset: tuple[int, int]
    fit: float


def find_sources(
    coverage: Mask,
    area: Rect,
    *,
    read: Callable[[Rect], EncodedRGB],
    bounds: Rect,
    used: Sequence[Rect] = (),
    flaws: Sequence[Rect] = (),
    most: int = 8,
) -> list[Candidate]:
    """Best sources for what `coverage` (over `area`, inside `bounds`) paints, best first; empty if there is none.

    used: rectangles already taken from nearby, to keep the same pores from turning up twice. flaws: boxes of known
    flaws, which are no skin to take.
    """
    side = max(8, min(area.width, area.height))
    length = max(area.width, area.height)
    # a long stroke only needs to step aside, not to leave its own length behind
    reach = int(3.4 * side + 0.35 * (length - side)) + 8
    window = area.expand(reach + max(4, side // 4)).intersect(bounds)
    scale = max(1, -(-side // _LARGEST_WORK_SIDE))
    picture = read(window)
    if scale > 1:
        shape = (max(1, picture.shape[1] // scale), max(1, picture.shape[0] // scale))
        picture = cv2.resize(picture, shape, interpolation=cv2.INTER_AREA)
    sy, sx = picture.shape[0] / window.height, picture.shape[1] / window.width
    mask = np.zeros(picture.shape[:2], np.uint8)
    ys, xs = np.nonzero(coverage > 0.02)
    if len(ys) == 0:
        return []
    mask[
        np.minimum(((ys + area.y0 - window.y0 + 0.5) * sy).astype(int), mask.shape[0] - 1),
        np.minimum(((xs + area.x0 - window.x0 + 0.5) * sx).astype(int), mask.shape[1] - 1),
    ] = 1
    found = _Search(picture, mask, side * sy)
    offsets = _offsets(side, length, found.axis)
    bad = _Bad(used, flaws)
    scored = found.score(offsets * [sx, sy], offsets, bad, area, side)
    if not len(scored[0]):
        return []
    order = np.argsort(scored[1])[:6]
    near = np.array([[dx, dy] for dx in (-1, 0, 1) for dy in (-1, 0, 1)]) * max(1.0, 0.12 * side)
    finer = np.round((scored[0][order][:, None, :] + near[None]).reshape(-1, 2))
    scored = found.score(finer * [sx, sy], finer, bad, area, side)
    return _spread(scored, side, most)


def _offsets(side: float, length: float, axis: np.ndarray) -> np.ndarray:
    """Candidate offsets (n, 2) in pixels: rings around the place, sideways for long strokes."""
    angles = np.arange(_ANGLES) * (2 * np.pi / _ANGLES)
    rings = [
        np.stack([np.cos(angles + i * 0.11), np.sin(angles + i * 0.11)], 1) * d * side
        for i, d in enumerate(_DISTANCES)
    ]
    offsets = np.concatenate(rings)
    if length > 1.6 * side:  # also past the ends of the stroke
        along = np.array([axis, -axis]) * (length * 1.05)
        offsets = np.concatenate([offsets, along])
    return np.unique(np.round(offsets), axis=0)


def _spread(scored, side: float, most: int) -> list[Candidate]:
    """Best first, leaving out near-doubles so that the next candidate looks different."""
    chosen: list[Candidate] = []
    for index in np.argsort(scored[1]):
        offset = scored[0][index]
        if all(np.hypot(*(offset - np.array(c.offset))) > 0.35 * side for c in chosen):
            chosen.append(Candidate((int(offset[0]), int(offset[1])), float(np.exp(-_FIT_PER_COST * scored[1][index]))))
        if len(chosen) == most:
            break
    return chosen


class _Search:
    """Features of the window, made once; `score` looks them up for many offsets at a time."""

    def __init__(self, picture: np.ndarray, mask: np.ndarray, side: float):
        self.picture, self.shape = picture, mask.shape
        self.mask = mask
        lum = picture @ _LUMINANCE
        fine, middle = cv2.GaussianBlur(lum, (0, 0), 1.0), cv2.GaussianBlur(lum, (0, 0), 2.6)
        box = (max(3, int(side / 4) | 1),) * 2
        self.energy = np.stack(
            [cv2.blur((lum - fine) ** 2, box), cv2.blur((fine - middle) ** 2, box)], -1
        ) + np.float32(1e-7)
        self.tint = _tint(picture)
        self.blob = _blob_response(lum, picture @ _REDNESS, side)
        thick = max(2, round(0.16 * side))
        ring = cv2.dilate(mask, np.ones((2 * thick + 1,) * 2, np.uint8)) - cv2.dilate(mask, np.ones((3, 3), np.uint8))
        self.ring = _pick(ring, _RING_POINTS)
        self.inner = _pick(mask, _INNER_POINTS)
        points = np.argwhere(mask > 0).astype(float)
        _, vectors = np.linalg.eigh(np.cov(points.T) + 1e-6 * np.eye(2)) if len(points) > 2 else (0, np.eye(2))
        self.axis = vectors[:, -1][::-1]
        self._fit_ring(side)

    def _fit_ring(self, side: float) -> None:
        """Weights of the ring's points and the projection that takes a plane out of their differences."""
        ys, xs = self.ring.T
        values = self.picture[ys, xs]
        grid = np.zeros((len(ys), 1, 3), np.float32)
        grid[:, 0] = values - np.median(values, 0)
        weight = fit_boundary(grid, np.ones((len(ys), 1), np.float32)).agree[:, 0] if len(ys) else np.zeros(0)
        self.weight = (weight / max(weight.sum(), 1e-6)).astype(np.float32)
        basis = np.stack([np.ones(len(ys)), (ys - ys.mean()) / side, (xs - xs.mean()) / side], 1)
        weighted = basis * self.weight[:, None]
        self.basis = basis.astype(np.float32)
        self.solve = (np.linalg.pinv(basis.T @ weighted) @ weighted.T).astype(np.float32)  # (3, n): difference → plane
        inner_y, inner_x = self.inner.T
        edge = self.energy[ys, xs]
        self.here = np.median(edge, 0) if len(ys) else self.energy[inner_y, inner_x].mean(0)
        trusted = self.weight > 0.5 * self.weight.max() if len(ys) else np.zeros(0, bool)
        self.own_tint = np.median(self.tint[ys, xs][trusted], 0) if trusted.any() else np.median(self.tint, (0, 1))
        self.usual_blob = float(np.median(self.blob)) + 1e-5

    def score(self, shifts, offsets, bad: "_Bad", area: Rect, side: float):
        """(offsets kept, cost of each); shifts are the offsets in work pixels."""
        move = np.round(np.asarray(shifts)).astype(int)[:, ::-1]  # (n, 2) as y, x
        limits = np.array(self.shape)
        everything = np.concatenate([self.ring, self.inner])
        low, high = everything.min(0), everything.max(0)
        fits = ((low + move >= 0) & (high + move < limits)).all(1)
        move, offsets = move[fits], np.asarray(offsets)[fits]
        if not len(move):
            return np.zeros((0, 2)), np.zeros(0)
        inner = self.inner[None] + move[:, None]
        clear = self.mask[inner[..., 0], inner[..., 1]].max(1) == 0
        move, offsets, inner = move[clear], offsets[clear], inner[clear]
        if not len(move):
            return np.zeros((0, 2)), np.zeros(0)
        ring = self.ring[None] + move[:, None]
        here = self.picture[self.ring[:, 0], self.ring[:, 1]]
        diff = here[None] - self.picture[ring[..., 0], ring[..., 1]]
        plane = self.solve @ diff
        rest = diff - self.basis @ plane
        residual = np.sqrt((rest**2).sum(-1) @ self.weight)
        offset_size = np.abs(plane[:, 0]).mean(1)
        slope = np.sqrt((plane[:, 1:] ** 2).sum((1, 2)))
        energies = self.energy[inner[..., 0], inner[..., 1]]
        energy = energies.mean(1)
        texture = np.abs(np.log(energy / self.here)).mean(1)
        tints = np.median(self.tint[inner[..., 0], inner[..., 1]], 1)
        tint = np.maximum(0, np.abs(tints - self.own_tint).sum(1) - _TINT_FROM)
        edge = np.maximum(0, np.log(energies.max(1) / self.here).max(1) - _EDGE_FROM)
        blob = self.blob[inner[..., 0], inner[..., 1]].max(1) / self.usual_blob
        distance = np.hypot(*offsets.T) / side
        cost = (
            _COST["residual"] * residual + _COST["offset"] * offset_size + _COST["slope"] * slope
            + _COST["texture"] * texture + _COST["blob"] * np.maximum(0, blob - 3.0) + _COST["distance"] * distance
            + _COST["edge"] * edge + _COST["tint"] * tint
        )
        return offsets, cost + bad.cost(offsets, area)


@dataclass(frozen=True)
class _Bad:
    """Places that should not be taken from."""

    used: Sequence[Rect]
    flaws: Sequence[Rect]

    def cost(self, offsets: np.ndarray, area: Rect) -> np.ndarray:
        """Cost (n,) of offsets (n, 2): share of the source already used, and any flaw in it."""
        cost = np.zeros(len(offsets))
        size = max(1, area.width * area.height)
        for rect in self.used:
            cost += _REPEAT_COST * self._overlap(offsets, area, rect) / size
        for rect in self.flaws:
            cost += _FLAW_COST * (self._overlap(offsets, area, rect) > 0.02 * rect.width * rect.height)
        return cost

    @staticmethod
    def _overlap(offsets: np.ndarray, area: Rect, rect: Rect) -> np.ndarray:
        w = np.minimum(area.x1 + offsets[:, 0], rect.x1) - np.maximum(area.x0 + offsets[:, 0], rect.x0)
        h = np.minimum(area.y1 + offsets[:, 1], rect.y1) - np.maximum(area.y0 + offsets[:, 1], rect.y0)
        return np.maximum(w, 0) * np.maximum(h, 0)


def _tint(picture: np.ndarray) -> np.ndarray:
    """Logarithms of red and of blue over green, (h, w, 2): the same on skin in light and in shade, other on cloth."""
    log = np.log(np.maximum(cv2.GaussianBlur(picture, (0, 0), 2.0), 0.02))
    return log[..., ::2] - log[..., 1:2]


def _blob_response(lum: np.ndarray, redness: np.ndarray, side: float) -> np.ndarray:
    """Largest difference-of-Gaussians response over spot scales, in lightness and redness."""
    both = np.stack([lum, redness], -1)
    half = cv2.resize(both, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    best = np.zeros(lum.shape, np.float32)
    for share in (0.07, 0.14, 0.26):
        sigma = max(1.2, share * side)
        picture, s = (half, sigma / 2) if sigma > 3 else (both, sigma)
        change = np.abs(cv2.GaussianBlur(picture, (0, 0), s) - cv2.GaussianBlur(picture, (0, 0), 1.6 * s))
        response = np.maximum(change[..., 0], change[..., 1])
        if picture is half:
            response = cv2.resize(response, lum.shape[::-1], interpolation=cv2.INTER_LINEAR)
        np.maximum(best, response, out=best)
    return cv2.dilate(best, np.ones((3, 3), np.uint8))


def _pick(mask: np.ndarray, most: int) -> np.ndarray:
    """At most `most` evenly spaced (y, x) places of a mask."""
    points = np.argwhere(mask > 0)
    if len(points) > most:
        points = points[np.linspace(0, len(points) - 1, most).round().astype(int)]
    return points
