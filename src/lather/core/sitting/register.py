"""How two photos lie to each other: the same shot developed anew, or two frames of the same person.

Developed anew: features (SIFT, Lowe 2004) matched both ways, an affine by RANSAC (MAGSAC as OpenCV has it), made exact
by maximising the correlation of local contrast (ECC, Evangelidis and Psarakis 2008). Two frames: the 468 points of the
face give a smooth map. Turned heads leave it off by a finger's breadth, so the skin's own marks and texture make it
exact: squares of its local contrast are looked for around where the points say (normalised
cross-correlation). The largest patch of them that moved alike is where it begins; from there it grows, each square
looked for where its neighbours say (after Lhuillier and Quan 2002, match propagation).
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
import scipy

from lather.core.colour.lab import srgb_lightness
from lather.core.engine.photo import Photo
from lather.core.errors import RequestError
from lather.core.job.face_map import FaceMap
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.sitting.frame_map import Affine, Field
from lather.core.types import Mask, as_float32

_NO_MASK: Any = None  # OpenCV takes none, its type hints do not say so
_LONG_SIDE = 1400  # px at which features are looked for
_EXACT_SIDE = 2000  # px at which the affine is made exact
_FEATURES, _RATIO = 6000, 0.8
_LEAST_ALIKE = 24  # matches that one affine explains, from which two photos are of one shot
_LEAST_SHARE = 0.15  # of all matches
_SQUARE, _SQUARES_ALIKE = 32, 0.4  # px of a square, and the correlation from which two are alike
_LEAST_ALIKE_SHARE = 0.6  # of one shot 0.85 and more, of two frames under 0.3
_LEAST_SKIN = 0.3
_FACE_PX = 640.0  # width of the face at which frames are compared
_ACROSS, _UP, _DOWN = 0.95, 1.2, 1.5  # of the face's width: how far around its middle
_SPREADS = (60.0, 25.0)  # px over which what squares tell is spread, one after the other
_COARSE = 4  # px between places at which what squares tell is spread
_MOST_IN_TREND, _LEAST_IN_TREND, _TREND_SMOOTH = 500, 12, 0.05
_NEIGHBOURS, _NEAR_PX = 16, 90.0
_OFF_PX, _OFF_SHARE = 2.5, 0.12  # how far neighbours may differ, and the share of their distance more
_FELLOWS, _FELLOWS_SHARE = 4, 0.45  # neighbours that moved alike, at the least
SAME_PERSON = 0.04
_GROWTHS, _GROWS_PX, _LEAST_GROWTH = 7, 60.0, 12


@dataclass(frozen=True)
class _Round:
    """One time of looking for squares. Lengths in px of a face _FACE_PX wide: wide, fine: blurs between which contrast
    is read. half: of a square. search: how far it may have gone. apart: squares. only: correlation by which its place
    must stand out, least: correlation. step: px of it per px that is compared.
    """

    wide: float
    fine: float
    half: int
    search: int
    apart: int
    only: float
    least: float
    step: int


_SEEDS = _Round(6, 0.8, 40, 64, 24, 0.1, 0.25, 2)
_GROWN = _Round(5, 0.7, 26, 14, 16, 0.05, 0.25, 1)


def same_shot(first: Photo, second: Photo) -> Affine:
    """From a photo to the same one developed anew: cropped, scaled, turned, lighter or warmer.

    Raises RequestError where they are not of one shot.
    """
    a, to_a = _small(first, _LONG_SIDE)
    b, to_b = _small(second, _LONG_SIDE)
    matrix = _by_features(a, b)
    if matrix is None or _alike_share(a, b, matrix) < _LEAST_ALIKE_SHARE:
        raise RequestError("The two photos do not show the same shot: too little of one is found again in the other. "
                           "For another frame of the same person carry the retouch over instead.")
    full = _scaled(matrix, to_a, to_b)
    a, to_a = _small(first, _EXACT_SIDE)
    b, to_b = _small(second, _EXACT_SIDE)
    exact = _exact(a, b, _scaled(full, 1 / to_a, 1 / to_b))
    return Affine(_scaled(exact, to_a, to_b))


def _small(photo: Photo, side: int) -> tuple[np.ndarray, np.ndarray]:
    """Lightness (h, w) 0-100 of a photo no longer than `side`; source px per pixel of it across and down, which differ
    by what its sides are rounded.
    """
    level = 0
    while max(photo.level_bounds(level)[2:]) > 2 * side:
        level += 1
    light = srgb_lightness(as_float32(photo.codes(level)))
    shrink = min(1.0, side / max(light.shape))
    if shrink < 1:
        light = cv2.resize(light, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    return light, np.array([photo.width / light.shape[1], photo.height / light.shape[0]])


def _scaled(matrix: np.ndarray, to_a: np.ndarray, to_b: np.ndarray) -> np.ndarray:
    """An affine between two small pictures, between ones `to_a` and `to_b` times as large, across and down."""
    return np.column_stack([matrix[:, :2] * to_b[:, None] / to_a, to_b * matrix[:, 2]])


def _contrast(light: np.ndarray, wide: float, fine: float) -> np.ndarray:
    """Local contrast, about -1 to 1: the same however light or dark a picture was developed."""
    fine_light = cv2.GaussianBlur(light, (0, 0), max(fine, 0.3)) if fine > 0.3 else light
    band = fine_light - cv2.GaussianBlur(light, (0, 0), wide)
    spread = np.sqrt(cv2.GaussianBlur(band * band, (0, 0), 2 * wide)) + 0.3
    return np.clip(band / (2.5 * spread), -1, 1).astype(np.float32)


def _by_features(a: np.ndarray, b: np.ndarray) -> np.ndarray | None:
    find = cv2.SIFT.create(_FEATURES, contrastThreshold=0.01)
    pictures = [(128 + 127 * _contrast(light, 0.02 * max(light.shape), 0.0)).astype(np.uint8) for light in (a, b)]
    (keys_a, words_a), (keys_b, words_b) = (find.detectAndCompute(picture, _NO_MASK) for picture in pictures)
    if words_a is None or words_b is None or min(len(keys_a), len(keys_b)) < _LEAST_ALIKE:
        return None
    there = cv2.BFMatcher().knnMatch(words_a, words_b, k=2)
    pairs = [(m.queryIdx, m.trainIdx) for m, *rest in there if rest and m.distance < _RATIO * rest[0].distance]
    if len(pairs) < _LEAST_ALIKE:
        return None
    from_a = np.array([keys_a[i].pt for i, _ in pairs], np.float32) + np.float32(0.5)
    to_b = np.array([keys_b[j].pt for _, j in pairs], np.float32) + np.float32(0.5)
    matrix, inliers = cv2.estimateAffine2D(from_a, to_b, ransacReprojThreshold=2.0, maxIters=5000, confidence=0.999)
    if matrix is None or inliers.sum() < max(_LEAST_ALIKE, _LEAST_SHARE * len(pairs)):
        return None
    scales = np.linalg.svd(matrix[:, :2], compute_uv=False)
    return matrix if scales[0] < 8 and scales[1] > 0.08 and scales[0] < 1.3 * scales[1] else None


def _alike_share(a: np.ndarray, b: np.ndarray, matrix: np.ndarray) -> float:
    """Share 0-1 of squares, where both pictures show something, whose local contrasts agree. Of one shot nearly all do;
    of another frame of the same person a part of the face may lie alike, and little else.
    """
    wide = 0.01 * max(a.shape)
    centred = matrix.copy()
    centred[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    size = b.shape[::-1]
    first = cv2.warpAffine(_contrast(a, wide, 0.8), centred, size)
    second = _contrast(b, wide, 0.8)
    whole = cv2.warpAffine(np.ones_like(a, dtype=np.float32), centred, size) > 0.99
    box = (_SQUARE, _SQUARE)

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.blur(values, box)[_SQUARE // 2 :: _SQUARE, _SQUARE // 2 :: _SQUARE]

    inside = mean(whole.astype(np.float32)) > 0.99
    means = mean(first), mean(second)
    spreads = [np.sqrt(np.maximum(mean(v * v) - m * m, 1e-6)) for v, m in zip((first, second), means)]
    alike = (mean(first * second) - means[0] * means[1]) / (spreads[0] * spreads[1]) > _SQUARES_ALIKE
    return float(alike[inside].mean()) if inside.any() else 0.0


def _exact(a: np.ndarray, b: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """The affine whose local contrasts agree most; the one given where that cannot be told better."""
    wide = 0.01 * max(a.shape)
    first, second = (_contrast(light, wide, 0.8) for light in (a, b))
    inverse = cv2.invertAffineTransform(matrix)  # a warp of b's grid reads a: ECC wants from the template to the other
    centred = np.array(inverse, np.float32)
    centred[:, 2] += inverse[:, :2] @ (0.5, 0.5) - 0.5
    try:
        _, found = cv2.findTransformECC(
            second, first, centred, cv2.MOTION_AFFINE,
            (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6), _NO_MASK, 5)
    except cv2.error:
        return matrix
    found = np.array(found, np.float64)
    found[:, 2] -= found[:, :2] @ np.array([0.5, 0.5]) - 0.5
    back = cv2.invertAffineTransform(found)
    corners = np.array([[0, 0], [a.shape[1], 0], [0, a.shape[0]], a.shape[::-1]], float)
    moved = np.abs(Affine(back).places(corners) - Affine(matrix).places(corners)).max()
    return back if moved < 0.01 * max(b.shape) else matrix


# frames of one person


def same_person(first: PhotoMeasures, second: PhotoMeasures) -> Field:
    """From a photo of a person to another one, around the face in hand of each. Both need their mesh.

    Raises RequestError where one has none.
    """
    face, other = first.face, second.face
    if face is None or other is None or not face.mesh or not other.mesh:
        raise RequestError("A retouch is carried over by the points of the face; none were found in one of the photos. "
                           "Drag the face map there and try again.")
    grid, start, step = _grid(first.photo, face)
    columns, rows = np.moveaxis((grid / first.scale - 0.5).astype(np.float32), -1, 0)
    skin = cv2.remap(first.skin, columns, rows, cv2.INTER_LINEAR)
    by_points = _by_points(face, other, grid)
    here, beyond = _Sampled(first.photo, step).at(grid), _Sampled(second.photo, other.width_px / _FACE_PX)
    grown = _Grown(here, beyond, skin, by_points)
    grown.begin()
    grown.grow()
    return Field(grown.to.astype(np.float32), grown.trust, start, step)


class _Grown:
    """A map that grows over the skin from what is sure. here, beyond: both pictures; by_points: the map to begin with.
    """

    def __init__(self, here: np.ndarray, beyond: "_Sampled", skin: Mask, by_points: np.ndarray):
        self._here, self._beyond, self._skin, self._by_points = here, beyond, skin, by_points
        self._nodes, self._at = np.zeros((0, 2)), np.zeros((0, 2))
        self._waiting = _nodes(skin, _GROWN)
        self.to = by_points
        self.trust: np.ndarray = np.zeros(skin.shape, np.float32)

    def begin(self) -> None:
        """The largest patch of squares that moved alike."""
        asked = _nodes(self._skin, _SEEDS)
        self._add(*_together(*_moved_squares(self._here, self._beyond.at(self.to), asked, _SEEDS)))

    def grow(self) -> None:
        """On to the squares beside what is known, until hardly any are found."""
        for _ in range(_GROWTHS):
            if not len(self._nodes) or not len(self._waiting):
                return
            asked = self._waiting[scipy.spatial.cKDTree(self._nodes).query(self._waiting)[0] < _GROWS_PX]
            found, moves = _moved_squares(self._here, self._beyond.at(self.to), asked, _GROWN)
            if len(found) < _LEAST_GROWTH:
                return
            self._waiting = self._waiting[scipy.spatial.cKDTree(found).query(self._waiting)[0] > 1]
            self._add(found, moves)

    def _add(self, found: np.ndarray, moves: np.ndarray) -> None:
        self._at = np.vstack([self._at, _read(self.to, found + moves)])
        self._nodes = np.vstack([self._nodes, found])
        alike = _alike(self._nodes, self._at - _read(self._by_points, self._nodes))
        self._nodes, self._at = self._nodes[alike], self._at[alike]
        way, self.trust = _spread(self._nodes, self._at - _read(self._by_points, self._nodes), self.trust.shape)
        self.to = self._by_points + way


def same_skin(first: PhotoMeasures, second: PhotoMeasures) -> float:
    """Share 0-1 of the skin that is found again as one patch: over `SAME_PERSON` two photos show one person. The form
    of a face tells people apart badly; where their pores and marks lie tells them apart for certain.
    """
    face, other = first.face, second.face
    if face is None or other is None or not face.mesh or not other.mesh:
        return 0.0
    grid, _, step = _grid(first.photo, face)
    columns, rows = np.moveaxis((grid / first.scale - 0.5).astype(np.float32), -1, 0)
    skin = cv2.remap(first.skin, columns, rows, cv2.INTER_LINEAR)
    nodes = _nodes(skin, _SEEDS)[::2]
    here, beyond = _Sampled(first.photo, step).at(grid), _Sampled(second.photo, other.width_px / _FACE_PX)
    together, _ = _together(*_moved_squares(here, beyond.at(_by_points(face, other, grid)), nodes, _SEEDS))
    return len(together) / max(1, len(nodes))


def _grid(photo: Photo, face: FaceMap) -> tuple[np.ndarray, tuple[float, float], float]:
    """Places (h, w, 2) around a face, their first one, and px between them."""
    step = face.width_px / _FACE_PX
    middle, up, down = face.mesh_px.mean(0), np.array((_ACROSS, _UP)), np.array((_ACROSS, _DOWN))
    low = np.maximum(middle - up * face.width_px, 0.5)
    high = np.minimum(middle + down * face.width_px, (photo.width - 0.5, photo.height - 0.5))
    xs, ys = np.arange(low[0], high[0], step), np.arange(low[1], high[1], step)
    return np.stack(np.meshgrid(xs, ys), -1), (float(low[0]), float(low[1])), step


def _by_points(face: FaceMap, other: FaceMap, grid: np.ndarray) -> np.ndarray:
    """The smooth map that leads the points of one face to those of the other; beyond them it goes over into the turn
    and scale of the whole.
    """
    here, there = face.mesh_px, other.mesh_px
    matrix, _ = cv2.estimateAffinePartial2D(here.astype(np.float32), there.astype(np.float32))
    usual = Affine(matrix.astype(float))
    width = face.width_px
    rim = grid[[0, -1]][:, :: max(1, grid.shape[1] // 12)].reshape(-1, 2)
    known, off = np.vstack([here, rim]), np.vstack([there - usual.places(here), np.zeros((len(rim), 2))])
    field = scipy.interpolate.RBFInterpolator(known / width, off, kernel="thin_plate_spline", smoothing=2e-4)
    sparse = grid[::16, ::16]
    coarse = field(sparse.reshape(-1, 2) / width).reshape(*sparse.shape).astype(np.float32)
    rows, columns = np.mgrid[0 : grid.shape[0], 0 : grid.shape[1]].astype(np.float32) / 16
    return usual.places(grid) + cv2.remap(coarse, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


class _Sampled:
    """Lightness of a photo, to be read at places that lie about `step` px apart."""

    def __init__(self, photo: Photo, step: float):
        self._level = max(0, int(np.floor(np.log2(max(step, 1.0)))))
        light = srgb_lightness(photo.read(photo.level_bounds(self._level), self._level))
        coarse = step / (1 << self._level)
        self._light = cv2.GaussianBlur(light, (0, 0), 0.4 * coarse) if coarse > 1.2 else light

    def at(self, places: np.ndarray) -> np.ndarray:
        """(h, w) at places (h, w, 2); beyond the photo its rim."""
        at = (places / (1 << self._level) - 0.5).astype(np.float32)
        return cv2.remap(self._light, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _read(values: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Values (h, w, 2) at places (n, 2) between their pixels."""
    if not len(at):
        return np.zeros((0, 2))
    x, y = at[None, :, 0].astype(np.float32), at[None, :, 1].astype(np.float32)
    return cv2.remap(values.astype(np.float32), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]


def _nodes(skin: Mask, one: _Round) -> np.ndarray:
    """Middles (n, 2) of squares on skin."""
    ys, xs = np.mgrid[one.apart // 2 : skin.shape[0] : one.apart, one.apart // 2 : skin.shape[1] : one.apart]
    on_skin = skin[ys, xs] > _LEAST_SKIN
    return np.column_stack([xs[on_skin], ys[on_skin]]).astype(float)


def _moved_squares(
    here: np.ndarray, there: np.ndarray, nodes: np.ndarray, one: _Round
) -> tuple[np.ndarray, np.ndarray]:
    """Those of the squares around `nodes` whose new place is the only one, and how far each has moved (n, 2)."""
    every = np.s_[one.step // 2 :: one.step]
    a, b = (np.ascontiguousarray(_contrast(light, one.wide, one.fine)[every, every]) for light in (here, there))
    half, search = one.half // one.step, one.search // one.step
    a = cv2.copyMakeBorder(a, half, half, half, half, cv2.BORDER_CONSTANT)
    b = cv2.copyMakeBorder(b, *(half + search,) * 4, cv2.BORDER_CONSTANT)
    size, reach = 2 * half, 2 * (half + search)
    found, moves = [], []
    for node in nodes:
        x, y = (node / one.step).astype(int)
        alike = cv2.matchTemplate(b[y : y + reach, x : x + reach], a[y : y + size, x : x + size], cv2.TM_CCOEFF_NORMED)
        _, best, _, (i, j) = cv2.minMaxLoc(alike)
        peak = _top(alike, i, j)
        alike[max(0, j - 5) : j + 6, max(0, i - 5) : i + 6] = -1
        if best - alike.max() > one.only and best > one.least:
            found.append(node)
            moves.append(one.step * (peak - search))
    return np.array(found, float).reshape(-1, 2), np.array(moves, float).reshape(-1, 2)


def _top(values: np.ndarray, i: int, j: int) -> np.ndarray:
    """Place (x, y) of a maximum between pixels, by parabolas through its neighbours."""
    place = np.array([i, j], float)
    for axis, (k, most) in enumerate(((i, values.shape[1]), (j, values.shape[0]))):
        if 0 < k < most - 1:
            low, mid, high = values[j, i - 1 : i + 2] if axis == 0 else values[j - 1 : j + 2, i]
            bend = low - 2 * mid + high
            place[axis] += 0.5 * (low - high) / bend if bend < -1e-6 else 0.0
    return place


def _fellows(nodes: np.ndarray, moves: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(n, k) neighbours of each square, which of them lie near, and which of those have moved alike."""
    away, near = scipy.spatial.cKDTree(nodes).query(nodes, k=min(_NEIGHBOURS + 1, len(nodes)))
    away, near = away[:, 1:], near[:, 1:]
    off = np.hypot(*np.moveaxis(moves[near] - moves[:, None], -1, 0))
    beside = away < _NEAR_PX
    return near, beside, beside & (off < _OFF_PX + _OFF_SHARE * away)


def _alike(nodes: np.ndarray, moves: np.ndarray) -> np.ndarray:
    """True (n,) of squares whose neighbours have moved alike."""
    if len(nodes) <= _FELLOWS:
        return np.zeros(len(nodes), bool)
    _, beside, alike = _fellows(nodes, moves)
    return (alike.sum(1) >= _FELLOWS) & (alike.sum(1) >= _FELLOWS_SHARE * np.maximum(beside.sum(1), 1))


def _together(nodes: np.ndarray, moves: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The largest patch of squares that have moved alike from neighbour to neighbour: others may have gone astray as
    one.
    """
    alike = _alike(nodes, moves)
    nodes, moves = nodes[alike], moves[alike]
    if len(nodes) <= _FELLOWS:
        return nodes, moves
    near, _, alike = _fellows(nodes, moves)
    rows, columns = np.nonzero(alike)
    graph = scipy.sparse.coo_matrix((np.ones(len(rows)), (rows, near[rows, columns])), shape=(len(nodes),) * 2)
    _, patch = scipy.sparse.csgraph.connected_components(graph, directed=False)
    largest = patch == np.bincount(patch).argmax()
    return nodes[largest], moves[largest]


def _spread(nodes: np.ndarray, moves: np.ndarray, shape: tuple[int, ...]) -> tuple[np.ndarray, np.ndarray]:
    """(h, w, 2) of how far each place has moved, and how near squares are that tell it (h, w), 0-1."""
    coarse = (shape[0] // _COARSE + 2, shape[1] // _COARSE + 2)
    way = np.zeros((*coarse, 2), np.float32)
    near: np.ndarray = np.zeros(coarse, np.float32)
    if not len(nodes):
        return _widened(way, shape), _widened(near, shape)
    columns, rows = (nodes / _COARSE).astype(int).T
    trend = _trend(nodes, moves, coarse)
    for sigma in _SPREADS:
        area = 2 * np.pi * (sigma / _COARSE) ** 2
        told: np.ndarray = np.zeros((*coarse, 3), np.float32)
        told[rows, columns, :2] = area * (moves - trend[rows, columns] - way[rows, columns])
        told[rows, columns, 2] = area
        told = cv2.GaussianBlur(told, (0, 0), sigma / _COARSE)
        near = told[..., 2]  # squares within about its reach
        way += told[..., :2] / (near[..., None] + 0.5)
    return _widened(trend + way, shape), _widened(np.clip(near / 4, 0, 1), shape)


def _widened(values: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    """Values at places _COARSE px apart, at every px."""
    rows, columns = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32) / _COARSE
    return cv2.remap(values, columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _trend(nodes: np.ndarray, moves: np.ndarray, coarse: tuple[int, int]) -> np.ndarray:
    """(h, w, 2) at places _COARSE px apart: the smooth surface nearest to what squares tell, which goes on where none
    are: a head that turns takes its far side along.
    """
    few = np.linspace(0, len(nodes) - 1, min(len(nodes), _MOST_IN_TREND)).astype(int)
    if len(few) < _LEAST_IN_TREND:
        return np.zeros((*coarse, 2), np.float32)
    field = scipy.interpolate.RBFInterpolator(
        nodes[few] / _FACE_PX, moves[few], kernel="thin_plate_spline", smoothing=_TREND_SMOOTH)
    ys, xs = np.mgrid[0 : coarse[0] : 4, 0 : coarse[1] : 4]
    values = field(_COARSE * np.column_stack([xs.ravel(), ys.ravel()]) / _FACE_PX).reshape(*ys.shape, 2)
    rows, columns = np.mgrid[0 : coarse[0], 0 : coarse[1]].astype(np.float32) / 4
    return cv2.remap(values.astype(np.float32), columns, rows, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
