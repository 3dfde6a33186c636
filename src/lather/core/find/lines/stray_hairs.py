"""Stray hairs against the background: ridges on safe ground, traced from tip to root."""

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
import scipy

from lather.core.find.lines.ridges import Line, ridge_responses, trace_lines
from lather.core.find.lines.skin_lines import band
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.types import Lab, Mask

_HIGH, _LOW = 5.0, 2.0  # times the ground's usual ridge response: where a hair starts, where it goes on
_LEAST_HIGH = 1.1  # ΔL*
_LEAST_MM, _ROOT_NEAR_MM, _INTO_MASS_MM = 3.0, 5.0, 0.35
_RIM_MM = 1.4
_FLOATING_MM = 9.0  # what hangs free of the mass must be this long to be a hair
_JOIN_GAP_MM, _JOIN_TURN = 3.0, 0.6
_SURE_AT = 2.2  # times the starting response at which a hair is as good as certain
_LEAST_CONTRAST = 1.0  # L*; fainter ones nobody sees: mostly edges of cloth
_MOST = 600
_STANDS_OUT_MM = 9.0  # this far from the mass it is no fringe any more
_CROWD_MM, _CROWD_USUAL, _CROWD_COUNTS = 4.0, 1.0, 0.5
_FRINGE_MM, _FRINGE_LENGTH = 15.0, 0.5  # between roots; share of its own length that another must have
_FRINGE_USUAL, _FRINGE_COUNTS = 3, 0.25
USUAL_CONFIDENCE = 0.5
_AS_DARK_L, _AS_DARK_SHARE = 14.0, 0.02  # ground whose lightness is this near that of the hair, and how much of it
_PLAINLY_WARMER = 3.0  # of hair against the ground: then only such hairs are looked for
_COARSER = 4  # px of the map of what is usual
_WARMTH = np.float32(np.sqrt(0.5))  # of a* and b* each


def find_strands(scene: FindScene) -> list[Find]:
    """Hairs that leave the mass, most certain first. Path from tip to root; size_px is the length."""
    ground = scene.ground
    if not ground.any():
        return []
    traced: list[tuple[Line, float]] = []
    looks = [(scene.whole_lightness, ground, scene.lightness_ridges)]
    alike, ways = _as_light_as_hair(scene)
    if alike is not None:
        warmth = _warmth(scene.whole_lab)
        looks.append((warmth, alike, ridge_responses(warmth, scene.hair_sigmas, ways)))
    for _, where, ridges in looks:
        for response, angle, scale in ridges:
            response = response * where
            usual = _usual(response, where, scene.per_mm)
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
    crowds = _crowds([points for points, _ in hairs], _CROWD_MM * scene.per_mm)
    seen_in = [values for values, *_ in looks]
    finds = [_as_find(scene, points, strength, crowd, mass, seen_in)
             for (points, strength), crowd in zip(hairs, crowds)]
    return sorted(_less_of_a_fringe([f for f in finds if f], scene), key=lambda f: -f.confidence)


def _less_of_a_fringe(finds: list[Find], scene: FindScene) -> list[Find]:
    """Less certain where many hairs about as long grow beside each other: that is the sitter's own outline."""
    if not finds:
        return []
    roots = np.array([find.path[-1] for find in finds]) / scene.measures.pixels_per_mm
    lengths = np.array([find.size_px for find in finds])
    apart = np.hypot(*(roots[:, None] - roots).transpose(2, 0, 1))
    beside = ((apart < _FRINGE_MM) & (lengths > _FRINGE_LENGTH * lengths[:, None])).sum(1) - 1
    sure = 1 / (1 + _FRINGE_COUNTS * np.maximum(0, beside - _FRINGE_USUAL))
    return [replace(find, confidence=find.confidence * float(times)) for find, times in zip(finds, sure)]


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


def _as_find(
    scene: FindScene, points: np.ndarray, strength: float, crowd: float, mass: np.ndarray, seen_in: list[np.ndarray]
) -> Find | None:
    columns, rows = np.clip(points.astype(int), 0, np.array(mass.shape[::-1]) - 1).T
    depth = mass[rows, columns]
    if depth[0] < depth[-1]:
        points, depth = points[::-1], depth[::-1]
    if float(np.percentile(depth, 75)) < max(2.0, _RIM_MM * scene.per_mm):  # the outline of the mass itself
        return None
    if depth[-1] < _ROOT_NEAR_MM * scene.per_mm:
        points = _into_the_mass(points, mass, _INTO_MASS_MM * scene.per_mm)
    elif np.hypot(*np.diff(points, axis=0).T).sum() < _FLOATING_MM * scene.per_mm:
        return None
    width, contrast = max((_profile(points, values) for values in seen_in), key=lambda found: found[1])
    if width <= 0 or contrast < _LEAST_CONTRAST:
        return None
    step = scene.step
    thinned = points[:: max(1, len(points) // 60)]
    path = tuple((float(x) * step, float(y) * step) for x, y in [*thinned, points[-1]])
    length = float(np.hypot(*np.diff(points, axis=0).T).sum()) * step
    x, y = path[len(path) // 2]
    stands_out = float(np.clip(np.percentile(depth, 95) / (_STANDS_OUT_MM * scene.per_mm), 0, 1))
    sure = float(np.clip(0.5 + 0.5 * (strength - 1) / (_SURE_AT - 1), 0.2, 0.99))
    confidence = sure * stands_out / (1 + _CROWD_COUNTS * max(0.0, crowd - _CROWD_USUAL))
    return Find(
        f"stray_hair-{x:.0f}-{y:.0f}", "stray_hair", x, y, length, contrast, confidence, scene.hair_zone(*path[-1]),
        False, True, band(path, max(1.5, width * step)), path, width * step,
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
