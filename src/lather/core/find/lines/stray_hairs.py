"""Stray hairs against the background: ridges on safe ground, traced from tip to root."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from lather.core.find import boosted_trees
from lather.core.find.lines.ridges import Line, ridge_responses, trace_lines
from lather.core.find.lines.skin_lines import band
from lather.core.find.scene import FindScene
from lather.core.job.finds import LISTED_FROM, Find
from lather.core.types import Lab, Mask

_HIGH, _LOW = 5.0, 2.0  # times the ground's usual ridge response: where a hair starts, where it goes on
_LEAST_HIGH = 1.1  # ΔL*
_LEAST_MM, _ROOT_NEAR_MM, _INTO_MASS_MM = 3.0, 5.0, 0.35
_RIM_MM = 1.4
_FLOATING_MM = 9.0  # what hangs free of the mass must be this long to be a hair
_JOIN_GAP_MM, _JOIN_TURN = 3.0, 0.6
_LEAST_CONTRAST = 1.0  # L*; fainter ones nobody sees: mostly edges of cloth
_MOST = 600
_CROWD_MM = 4.0
_FRINGE_MM, _FRINGE_LENGTH = 15.0, 0.5  # between roots; share of its own length that another must have
USUAL_CONFIDENCE = LISTED_FROM
_AS_DARK_L, _AS_DARK_SHARE = 14.0, 0.02  # ground whose lightness is this near that of the hair, and how much of it
_PLAINLY_WARMER = 3.0  # of hair against the ground: then only such hairs are looked for
_COARSER = 4  # px of the map of what is usual
_WARMTH = np.float32(np.sqrt(0.5))  # of a* and b* each


FEATURES = (
    "log_length", "log_width", "contrast", "log_strength", "crowd", "beside", "stands_out", "root_off_mass",
    "hair_at_root", "hair_along", "skin_at_root", "cloth_at_root", "person_along", "straight", "turning", "taper",
    "darker", "unlike_hair", "off_hair_colour", "parallels", "busy", "outward", "from_head", "steady",
)
_PARALLEL, _STRAIGHT = np.radians(7.0), 0.985
_AT_ROOT_MM = 2.5


@dataclass(frozen=True)
class MeasuredStrand:
    """A line before the ground, in pixels of the scene's scale: points from tip to root, width, contrast (L*), and what
    tells whether it is a hair."""

    points: np.ndarray
    width: float
    contrast: float
    features: tuple[float, ...]


def find_strands(scene: FindScene) -> list[Find]:
    """Hairs that leave the mass, most certain first. Path from tip to root; size_px is the length."""
    strands = measure_strands(scene)
    if not strands:
        return []
    sure = boosted_trees.model("strands").shares(np.array([strand.features for strand in strands]))[:, 1]
    finds = [_as_find(scene, strand, float(confidence)) for strand, confidence in zip(strands, sure)]
    return sorted(finds, key=lambda f: -f.confidence)


def measure_strands(scene: FindScene) -> list[MeasuredStrand]:
    """All lines before the ground that may be hairs, each measured."""
    ground = scene.ground
    if not ground.any():
        return []
    traced: list[tuple[Line, float]] = []
    looks = [(scene.whole_lightness, ground, scene.lightness_ridges)]
    alike, ways = _as_light_as_hair(scene)
    if alike is not None:
        warmth = _warmth(scene.whole_lab)
        looks.append((warmth, alike, ridge_responses(warmth, scene.hair_sigmas, ways)))
    busy = np.zeros(ground.shape, np.float32)
    for _, where, ridges in looks:
        for response, angle, scale in ridges:
            response = response * where
            usual = _usual(response, where, scene.per_mm)
            busy = np.maximum(busy, usual)
            lines = trace_lines(
                response, angle, scale, low=_LOW * usual, high=np.maximum(_LEAST_HIGH, _HIGH * usual),
                least_length=0.5 * _LEAST_MM * scene.per_mm,
            )
            sample = usual[::_COARSER, ::_COARSER][where[::_COARSER, ::_COARSER] > 0]
            noise = float(np.median(sample)) if len(sample) else 0.0
            traced += [(line, line.strength / max(_LEAST_HIGH, _HIGH * noise)) for line in lines]
    traced.sort(key=lambda pair: -pair[0].length * pair[1])
    hairs = _joined(_once(traced[:_MOST], scene), scene)
    mass = cv2.distanceTransform(ground, cv2.DIST_L2, 5)
    seen_in = [values for values, *_ in looks]
    placed = [(rooted, strength) for points, strength in hairs
              if (rooted := _from_tip_to_root(scene, points, mass)) is not None]
    return _measured(scene, placed, mass, busy, seen_in)


def _as_light_as_hair(scene: FindScene) -> tuple[Mask | None, tuple[bool, ...]]:
    """(ground that is about as light as the hair before it, where a hair shows by its colour only; whether a hair is
    looked for as what is colder, warmer, or both). None: there is none.
    """
    lab = cv2.cvtColor(np.ascontiguousarray(scene.measures.small), cv2.COLOR_RGB2Lab)
    ground = scene.measures.ground > 0
    near = cv2.dilate(ground.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    rim = near & ~ground & (scene.measures.skin < 0.3)
    if not rim.any():
        return None, ()
    hair = np.median(lab[rim], axis=0)
    alike = ground & (np.abs(cv2.GaussianBlur(lab[..., 0], (0, 0), 4.0) - hair[0]) < _AS_DARK_L)
    if alike.sum() < _AS_DARK_SHARE * ground.sum() or not alike.any():
        return None, ()
    warmer = float(_warmth(hair[None, None])[0, 0] - np.median(_warmth(lab[alike][None])))
    height, width = scene.ground.shape
    wide = cv2.resize(alike.astype(np.uint8), (width, height), interpolation=cv2.INTER_NEAREST)
    return wide & scene.ground, (warmer < 0,) if abs(warmer) > _PLAINLY_WARMER else (True, False)


def _warmth(lab: Lab) -> np.ndarray:
    """a* and b* together: what tells hair from a ground of its own lightness, and suffers less from noise than each."""
    return _WARMTH * (cv2.extractChannel(lab, 1) + cv2.extractChannel(lab, 2))


def chosen_hairs(finds: Sequence[Find], *, least_confidence: float = USUAL_CONFIDENCE, soft_share: float = 0.0):
    """Hairs to take away: those sure enough, less the finest share (0-1) that keeps the look soft; most seen first."""
    sure = [f for f in finds if f.kind == "stray_hair" and f.confidence >= least_confidence]
    sure.sort(key=lambda f: -f.contrast_de * (f.width_px or 1.0))
    return sure[: len(sure) - round(soft_share * len(sure))]


def _usual(response: np.ndarray, ground: Mask, per_mm: float) -> np.ndarray:
    """The ground's own ridge response around each place: its grain and structure, hairs left out."""
    inside = ground[::_COARSER, ::_COARSER] > 0
    coarse = response[::_COARSER, ::_COARSER]
    typical = float(np.percentile(coarse[inside], 75)) + 1e-3 if inside.any() else 1e-3
    capped = np.minimum(response, 2 * typical)
    small = (-(-response.shape[1] // _COARSER), -(-response.shape[0] // _COARSER))
    k = 2 * int(6 * per_mm / _COARSER) + 1
    share = cv2.blur(cv2.resize(ground.astype(np.float32), small, interpolation=cv2.INTER_AREA), (k, k))
    usual = cv2.blur(cv2.resize(capped, small, interpolation=cv2.INTER_AREA), (k, k)) / (share + np.float32(1e-3))
    usual = np.maximum(usual, np.float32(0.6 * typical))
    return cv2.resize(usual, response.shape[::-1], interpolation=cv2.INTER_LINEAR)


def _once(traced: list[tuple[Line, float]], scene: FindScene) -> list[tuple[np.ndarray, float, float]]:
    """(points, width, strength) of lines; a hair seen dark and bright (its gloss and its rim) counts once."""
    taken = np.zeros(scene.ground.shape, np.uint8)
    kept = []
    for line, strength in traced:
        columns, rows = np.clip(line.points.astype(int), 0, np.array(taken.shape[::-1]) - 1).T
        if taken[rows, columns].mean() > 0.5:
            continue
        cv2.polylines(taken, [np.round(line.points).astype(np.int32)], False, 1, max(3, int(2 * line.width + 2)))
        kept.append((line.points, line.width, strength))
    return kept


def _joined(lines, scene: FindScene) -> list[tuple[np.ndarray, float]]:
    """Pieces of one hair, end to end and in line, put together; short rests are dropped.

    The nearest ends are linked first; an end is linked once, and no ring is closed.
    """
    pieces = [points for points, _, _ in lines]
    links = _links(pieces, _JOIN_GAP_MM * scene.per_mm)
    chained = _chains(pieces, links)
    least = _LEAST_MM * scene.per_mm
    hairs = []
    for order in chained:
        points = np.concatenate([pieces[i] if forward else pieces[i][::-1] for i, forward in order])
        if np.hypot(*np.diff(points, axis=0).T).sum() >= least:
            hairs.append((points, max(lines[i][2] for i, _ in order)))
    return hairs


def _links(pieces: list[np.ndarray], gap: float) -> dict[tuple[int, int], tuple[int, int]]:
    """{(piece, end): (piece, end)} both ways; end 0 is a piece's first point, 1 its last."""
    if len(pieces) < 2:
        return {}
    ends = np.array([[p[0], p[-1]] for p in pieces]).reshape(-1, 2)
    found = []
    for a, b in scipy.spatial.cKDTree(ends).query_pairs(gap):
        (i, m), (j, n) = divmod(a, 2), divmod(b, 2)
        if i == j:
            continue
        outward, onward = _heading(pieces[i], m), -_heading(pieces[j], n)
        bridge = ends[b] - ends[a]
        distance = float(np.hypot(*bridge))
        if max(_turn(outward, onward), _turn(outward, bridge) if distance > 3 else 0) < _JOIN_TURN:
            found.append((distance, (i, m), (j, n)))
    links: dict[tuple[int, int], tuple[int, int]] = {}
    leader = list(range(len(pieces)))

    def lead(k: int) -> int:
        while leader[k] != k:
            k = leader[k]
        return k

    for _, a, b in sorted(found):
        if a not in links and b not in links and lead(a[0]) != lead(b[0]):
            links[a], links[b] = b, a
            leader[lead(a[0])] = lead(b[0])
    return links


def _heading(points: np.ndarray, end: int) -> np.ndarray:
    """The way out of a piece at one of its ends."""
    at = min(7, len(points) - 1)
    return points[-1] - points[-1 - at] if end else points[0] - points[at]


def _chains(pieces, links) -> list[list[tuple[int, bool]]]:
    """Linked pieces in order: (piece, as it runs)."""
    chains, seen = [], set()
    for start in sorted(range(len(pieces)), key=lambda i: ((i, 0) in links) + ((i, 1) in links)):
        if start in seen:
            continue
        chain, at, enter = [], start, 0 if (start, 0) not in links else 1
        while True:
            seen.add(at)
            chain.append((at, enter == 0))
            onward = links.get((at, 1 - enter))
            if onward is None:
                break
            at, enter = onward
        chains.append(chain)
    return chains


def _turn(a: np.ndarray, b: np.ndarray) -> float:
    return float(abs(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b)))


def _crowds(paths: list[np.ndarray], reach: float) -> list[float]:
    """How many other hairs lie near the outer half of each: where there are many, they are the rim of the hairdo."""
    if not paths:
        return []
    owner = np.concatenate([np.full(len(p[::4]), n) for n, p in enumerate(paths)])
    tree = scipy.spatial.cKDTree(np.concatenate([p[::4] for p in paths]))
    found = []
    for number, path in enumerate(paths):
        near = tree.query_ball_point(path[::6], reach)
        found.append(float(np.median([len(set(owner[i].tolist()) - {number}) for i in near])))
    return found


def _from_tip_to_root(scene: FindScene, points: np.ndarray, mass: np.ndarray) -> np.ndarray | None:
    """The points turned so that the root is last, and led into the mass; None for the mass's own outline, and for short
    pieces that hang free."""
    columns, rows = np.clip(points.astype(int), 0, np.array(mass.shape[::-1]) - 1).T
    depth = mass[rows, columns]
    if depth[0] < depth[-1]:
        points, depth = points[::-1], depth[::-1]
    if float(np.percentile(depth, 75)) < max(2.0, _RIM_MM * scene.per_mm):
        return None
    if depth[-1] < _ROOT_NEAR_MM * scene.per_mm:
        return _into_the_mass(points, mass, _INTO_MASS_MM * scene.per_mm)
    return None if _length(points) < _FLOATING_MM * scene.per_mm else points


def _measured(scene: FindScene, placed, mass: np.ndarray, busy: np.ndarray, seen_in) -> list[MeasuredStrand]:
    """placed: (points from tip to root, strength) of each."""
    paths = [points for points, _ in placed]
    crowds = _crowds(paths, _CROWD_MM * scene.per_mm)
    beside = _beside(paths, scene.per_mm)
    around = _Around(scene, paths)
    found = []
    for (points, strength), crowd, fringe in zip(placed, crowds, beside):
        width, contrast = max((_profile(points, values) for values in seen_in), key=lambda pair: pair[1])
        if width <= 0 or contrast < _LEAST_CONTRAST:
            continue
        columns, rows = np.clip(points.astype(int), 0, np.array(mass.shape[::-1]) - 1).T
        depth = mass[rows, columns]
        features = (
            np.log(_length(points) / scene.per_mm), np.log(width / scene.per_mm), contrast, np.log(strength + 1e-3),
            crowd, fringe, float(np.percentile(depth, 95)) / scene.per_mm, min(20.0, float(depth[-1]) / scene.per_mm),
            *around.of(points), float(np.median(busy[rows, columns])), *around.growth(points),
        )
        found.append(MeasuredStrand(points, width, contrast, tuple(float(f) for f in features)))
    return found


def _length(points: np.ndarray) -> float:
    return float(np.hypot(*np.diff(points, axis=0).T).sum())


def _beside(paths: list[np.ndarray], per_mm: float) -> list[float]:
    """How many hairs about as long grow beside each: where there are many, that is the sitter's own outline."""
    if not paths:
        return []
    roots = np.array([path[-1] for path in paths]) / per_mm
    lengths = np.array([_length(path) for path in paths])
    apart = np.hypot(*(roots[:, None] - roots).transpose(2, 0, 1))
    return list(((apart < _FRINGE_MM) & (lengths > _FRINGE_LENGTH * lengths[:, None])).sum(1) - 1.0)


class _Around:
    """What the reading of the photo says along lines, and how lines lie to each other."""

    def __init__(self, scene: FindScene, paths: list[np.ndarray]):
        people = scene.measures.people
        self._scene, self._k = scene, scene.step / scene.measures.scale
        self._parts = {name: people.small(name) for name in ("hair", "skin", "cloth")}
        self._person = 1 - people.small("ground")
        self._heads = [person.head for person in people.persons]
        self._lab = cv2.cvtColor(np.ascontiguousarray(scene.measures.small), cv2.COLOR_RGB2Lab)
        sigma = max(1.0, 2.0 * scene.measures.pixels_per_mm / scene.measures.scale)
        soft = cv2.GaussianBlur(self._parts["hair"], (0, 0), sigma)
        self._slope = [cv2.Sobel(soft, cv2.CV_32F, *way) for way in ((1, 0), (0, 1))]
        chords = np.array([path[-1] - path[0] for path in paths]).reshape(-1, 2)
        self._angles = np.arctan2(chords[:, 1], chords[:, 0])
        self._straight = np.array([np.hypot(*chord) / max(_length(path), 1e-6) > _STRAIGHT
                                   for chord, path in zip(chords, paths)], bool)

    def of(self, points: np.ndarray) -> tuple[float, ...]:
        """From `hair_at_root` to `parallels` of FEATURES."""
        scene = self._scene
        heading = points[-1] - points[max(0, len(points) - 8)]
        heading = heading / max(np.hypot(*heading), 1e-6)
        root = points[-1] + heading * np.linspace(-0.3, 1, 6)[:, None] * _AT_ROOT_MM * scene.per_mm
        at_root = {name: float(self._at(part, root).max()) for name, part in self._parts.items()}
        inner = points[: max(4, len(points) * 3 // 4)]
        chord, length = points[-1] - points[0], _length(points)
        way = np.arctan2(*np.gradient(cv2.blur(points.astype(np.float32), (1, 7)), axis=0)[:, ::-1].T)
        turning = float(np.abs(np.diff(np.unwrap(way))).sum()) / max(length / scene.per_mm, 1e-6)
        line, beside = self._line_and_beside(points)
        off = line - beside
        half = len(off) // 2
        strength = np.abs(off[:, 0])
        taper = np.log((strength[half:].mean() + 0.3) / (strength[:half].mean() + 0.3))
        hair = self._hair_colour(root)
        straight = float(np.hypot(*chord)) / max(length, 1e-6)
        apart = np.abs(np.angle(np.exp(2j * (self._angles - np.arctan2(chord[1], chord[0]))))) / 2
        return (
            at_root["hair"], float(self._at(self._parts["hair"], inner).mean()), at_root["skin"], at_root["cloth"],
            float(self._at(self._person, inner).mean()), straight, turning, float(taper), float(off[:, 0].mean()),
            float(np.abs(line[:, 0].mean() - hair[0])), float(np.hypot(*(line[:, 1:].mean(0) - hair[1:]))),
            float(((apart < _PARALLEL) & self._straight).sum()),
        )

    def growth(self, points: np.ndarray) -> tuple[float, ...]:
        """From `outward` of FEATURES on: whether it leaves the hair at right angles, heads away from, evenness."""
        root = points[-1:]
        slope = np.array([float(self._at(part, root)[0]) for part in self._slope])
        back = points[-1] - points[max(0, len(points) - 12)]
        steep = np.hypot(*slope)
        outward = float(back @ slope / max(np.hypot(*back) * steep, 1e-6)) if steep > 1e-3 else 0.0
        x, y = points[-1] * self._scene.step
        away = min((np.hypot(x - head.middle[0], y - head.middle[1]) / head.size for head in self._heads), default=9.0)
        line, beside = self._line_and_beside(points)
        off = (line - beside)[:, 0]
        return outward, min(9.0, float(away)), float((np.sign(off) == np.sign(off.mean())).mean())

    def _at(self, small: np.ndarray, points: np.ndarray) -> np.ndarray:
        """A small map at points (n, 2) of this scale."""
        at = (points * self._k).astype(int)
        return small[np.clip(at[:, 1], 0, small.shape[0] - 1), np.clip(at[:, 0], 0, small.shape[1] - 1)]

    def _line_and_beside(self, points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Lab (n, 3) on a line, and the mean of both its sides."""
        some = points[:: max(1, len(points) // 40)].astype(np.float32)
        way = np.gradient(some, axis=0)
        side = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]
        reach = max(4.0, 0.9 * self._scene.per_mm)
        lab = self._scene.whole_lab
        on, left, right = (_sampled(lab, some + k * reach * side) for k in (0, 1, -1))
        return on, 0.5 * (left + right)

    def _hair_colour(self, root: np.ndarray) -> np.ndarray:
        """Lab of the hair around a root; of what is there if there is no hair."""
        x, y = (root[-1] * self._k).astype(int)
        reach = max(3, round(6 * self._scene.measures.pixels_per_mm / self._scene.measures.scale))
        part = np.s_[max(0, y - reach) : max(0, y + reach + 1), max(0, x - reach) : max(0, x + reach + 1)]
        hairy = self._parts["hair"][part] > 0.5
        near = self._lab[part][hairy] if hairy.any() else self._lab[part].reshape(-1, 3)
        return np.median(near, axis=0) if len(near) else np.zeros(3, np.float32)


def _sampled(values: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Values (h, w, c) at points (n, 2), between the pixels."""
    at = (points - 0.5).astype(np.float32)[None]
    return cv2.remap(values, at[..., 0].copy(), at[..., 1].copy(), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]


def _as_find(scene: FindScene, strand: MeasuredStrand, confidence: float) -> Find:
    points, step = strand.points, scene.step
    thinned = points[:: max(1, len(points) // 60)]
    path = tuple((float(x) * step, float(y) * step) for x, y in [*thinned, points[-1]])
    x, y = path[len(path) // 2]
    width = strand.width * step
    return Find(
        f"stray_hair-{x:.0f}-{y:.0f}", "stray_hair", x, y, _length(points) * step, strand.contrast, confidence,
        scene.hair_zone(*path[-1]), False, True, band(path, max(1.5, width)), path, width,
    )


def _into_the_mass(points: np.ndarray, mass: np.ndarray, more: float) -> np.ndarray:
    """The path followed on at its root until it is in the mass, so that no stump is left."""
    way = points[-1] - points[max(-10, -len(points))]
    way = way / max(np.hypot(*way), 1e-6)
    at, added, inside = points[-1].astype(float), [], 0.0
    for _ in range(int(60 * more + 40)):
        at = at + way
        column, row = int(at[0]), int(at[1])
        if not (0 <= row < mass.shape[0] and 0 <= column < mass.shape[1]):
            break
        inside = inside + 1 if mass[row, column] == 0 else 0
        added.append(at.copy())
        if inside >= more:
            break
    else:
        return points
    return np.concatenate([points, np.array(added).reshape(-1, 2)]).astype(np.float32)


_ACROSS = np.arange(-6.0, 6.25, 0.25)


def _profile(points: np.ndarray, values: np.ndarray) -> tuple[float, float]:
    """(width at half height, contrast in L*) of the mean profile across the middle of a line, in px."""
    inner = points[len(points) // 8 : max(len(points) * 7 // 8, len(points) // 8 + 2)]
    way = np.gradient(cv2.blur(inner.astype(np.float32), (1, 5)), axis=0)
    side = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    grid = (inner[:, None] + _ACROSS[None, :, None] * side[:, None] - 0.5).astype(np.float32)
    across = cv2.remap(values, grid[..., 0], grid[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    flank = np.median(across[:, np.abs(_ACROSS) > 4], axis=1, keepdims=True)
    height = np.median(np.abs(across - flank), axis=0)
    height = height - np.median(height[np.abs(_ACROSS) > 4])
    middle = np.abs(_ACROSS) < 2.5
    peak = float(height[middle].max())
    over = (height > 0.5 * peak) & (np.abs(_ACROSS) < 4)
    return (float(over.sum() * 0.25), peak) if peak > 0 else (0.0, 0.0)
