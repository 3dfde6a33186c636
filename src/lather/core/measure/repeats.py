"""Repeats: the same skin seen at two places. From the edits of a job, and from pictures alone.

From pictures: key points that do not mind turns (SIFT, Lowe 2004), matched inside one picture, also with its mirror
image, and held to one turn and scale (the way copied areas are found in Amerini et al. 2011).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.job.model import Job, Stroke
from lather.core.job.source_map import affine
from lather.core.phrases import phrase
from lather.core.types import Lab, Mask

_CELL_SHARE = 0.008  # of the face's width: grid on which sources are compared
_SHARED = 0.4  # of the smaller source that another one takes as well
_VISIBLE = 0.5  # of effective strength, from which what is copied is seen
_LARGE_SHARE = 0.06  # of the face's width: a plain copy whose cells fill such a square is seen beside its source
_LARGE_ALIKE_SHARE = 0.09  # the same, of the disc whose pores are alike
_ALIKE, _ALIKE_SHARE = 0.5, 0.01  # correlation of pores that are the same, and the radius (of the face) it is read in
_PORES_SHARE = 0.004  # so fine that the step at a copy's rim is not in it
_REACH_SHARE = 0.15  # of the face's width: how far around its middle a copy's size is looked for
_MARKS = ("mole", "freckle", "blemish_dark", "blemish_red", "blemish_bright", "scar")
_MARK_DE = 4.0
_LEAST_MATCHES = 6
_RATIO = 0.75  # best match against the second (Lowe)
_CHANGED_L = 1.0
_TONE_L = 0.7  # L* in tone between a copy and where it came from, under which nothing was fitted
_CONTRAST, _GAIN = 0.0005, 30.0  # pores are faint
_MOST_OWN = 1500
_LEAST_SHARE = 0.035  # of the face's width: side of a change that holds enough pores


@dataclass(frozen=True)
class Repeat:
    """Two places (x, y, radius in source px) that show the same skin. edits: ids of the strokes that did it."""

    first: tuple[float, float, float]
    second: tuple[float, float, float]
    edits: tuple[str, ...] = ()
    why: str = ""


# from the edits


def repeats_of_job(job: Job, face_px: float, skin_at: Callable[[float, float], float]) -> list[Repeat]:
    """Sources taken twice, plain copies of skin that are large, and marks that were copied along.

    skin_at(x, y): share of skin, 0-1, at a place of the photo.
    """
    cell = max(3.0, _CELL_SHARE * face_px)
    taken = [(edit, *_cells(edit, cell)) for edit in _visible_copies(job)]
    taken = [row for row in taken if row[1]]
    found: list[Repeat] = []
    for n, (edit, sources, targets) in enumerate(taken):
        for other, other_sources, other_targets in taken[:n]:
            shared = len(sources & other_sources) / min(len(sources), len(other_sources))
            apart = len(targets & other_targets) / min(len(targets), len(other_targets)) < _SHARED
            if shared >= _SHARED and apart:
                found.append(Repeat(_place(other), _place(edit), (other.id, edit.id), "one source taken twice"))
    for edit, sources, targets in taken:
        size = cell * len(targets) ** 0.5
        x, y, radius = _place(edit)
        matrix = affine(edit.offset, edit.turn)
        sx, sy = matrix @ (x, y, 1.0)
        plain = edit.tool == "copy" and edit.mode == "any" and not sources & targets
        if plain and size >= _LARGE_SHARE * face_px and min(skin_at(x, y), skin_at(sx, sy)) > 0.5:
            found.append(Repeat((sx, sy, radius), (x, y, radius), (edit.id,), "skin copied as it is"))
        found += _marks_along(job, edit, sources, cell, matrix)
    return found


def _visible_copies(job: Job) -> list[Stroke]:
    made = []
    for stage in job.stages:
        for layer in stage.layers if stage.on else ():
            for edit in layer.edits if layer.on else ():
                if edit.offset is not None and edit.tool != "sweep" and not edit.own_texture and (
                        stage.strength * layer.strength * edit.brush.ceiling >= _VISIBLE):
                    made.append(edit)
    return made


def _cells(edit: Stroke, cell: float) -> tuple[frozenset, frozenset]:
    """Cells of the grid that an edit takes from, and that it covers."""
    bounds = edit.bounds
    step = max(2.0, cell / 2)
    xs, ys = np.meshgrid(*(np.arange(low + step / 2, high, step)
                           for low, high in ((bounds.x0, bounds.x1), (bounds.y0, bounds.y1))))
    places = np.stack([xs.ravel(), ys.ravel()], 1)
    if not len(places):
        return frozenset(), frozenset()
    if edit.by_outline:
        ring = edit.points[:, :2].astype(np.float32).reshape(-1, 1, 2)
        inside = np.array([cv2.pointPolygonTest(ring, (float(x), float(y)), False) >= 0 for x, y in places])
    else:
        touches = edit.touches
        inside = np.zeros(len(places), bool)
        for x, y, radius in touches[:: max(1, len(touches) // 200), :3]:
            inside |= np.hypot(places[:, 0] - x, places[:, 1] - y) < 0.8 * radius
    places = places[inside]
    if not len(places):
        return frozenset(), frozenset()
    sources = np.column_stack([places, np.ones(len(places))]) @ affine(edit.offset, edit.turn).T
    grid = [map(tuple, np.floor(where / cell).astype(int)) for where in (sources, places)]
    return frozenset(grid[0]), frozenset(grid[1])


def _place(edit: Stroke) -> tuple[float, float, float]:
    bounds = edit.bounds
    return ((bounds.x0 + bounds.x1) / 2, (bounds.y0 + bounds.y1) / 2, max(bounds.width, bounds.height) / 2)


def _marks_along(job: Job, edit: Stroke, sources: frozenset, cell: float, matrix: np.ndarray) -> list[Repeat]:
    """Marks and flaws inside the source, that are now seen twice."""
    found = []
    for find in job.finds or ():
        if find.kind not in _MARKS or (int(find.x // cell), int(find.y // cell)) not in sources:
            continue
        if job.find_state(find) == "mended" or find.id == edit.find or find.contrast_de < _MARK_DE:
            continue
        back = np.linalg.inv(matrix[:, :2]) @ (np.array([find.x, find.y]) - matrix[:, 2])
        found.append(Repeat((find.x, find.y, find.size_px), (float(back[0]), float(back[1]), find.size_px), (edit.id,),
                            phrase("%1 copied along", find.label.lower())))
    return found


# from pictures


def repeats_in_pictures(before: Lab, after: Lab, skin: Mask, face_px: float) -> list[Repeat]:
    """Copied areas of skin that were not there before. Lab (h, w, 3) of both; places in their pixels.

    An area counts where its skin is found at two changed places, or where it is as it was elsewhere, tone and all: a
    mend fits its tone to the place, and takes skin that is not taken again.
    """
    changed = _changed(before, after, face_px)
    if not changed.any():
        return []
    light = np.ascontiguousarray(after[..., 0], np.float32)
    flat = light - cv2.GaussianBlur(light, (0, 0), max(4.0, 0.02 * face_px))
    codes = np.clip(128 + _GAIN * flat, 0, 255).astype(np.uint8)
    area = (skin > 0.5).astype(np.uint8)
    sift = cv2.SIFT_create(contrastThreshold=_CONTRAST, edgeThreshold=60, sigma=1.2)
    points, words = sift.detectAndCompute(codes, area)
    if words is None or len(points) < _LEAST_MATCHES:
        return []
    places = np.array([p.pt for p in points])
    own = np.flatnonzero(changed[places[:, 1].astype(int), places[:, 0].astype(int)])
    own = own[:: max(1, len(own) // _MOST_OWN)]
    width = codes.shape[1]
    flipped_points, flipped = sift.detectAndCompute(np.ascontiguousarray(codes[:, ::-1]),
                                                    np.ascontiguousarray(area[:, ::-1]))
    flipped_places = np.array([(width - 1 - p.pt[0], p.pt[1]) for p in flipped_points]).reshape(-1, 2)
    pairs = [pair for others in ((places, words), (flipped_places, flipped))
             for pair in _matched(places[own], words[own], *others)]
    found = _groups(pairs, face_px)
    return _less_mends(found, light, changed, face_px)


def _changed(before: Lab, after: Lab, face_px: float) -> np.ndarray:
    """What changed, uint8: places that are too small to be told by their pores left out."""
    change = cv2.GaussianBlur(np.abs(after[..., 0] - before[..., 0]), (0, 0), 1.5) > _CHANGED_L
    changed = cv2.dilate(change.astype(np.uint8), np.ones((3, 3), np.uint8))
    _, labels, facts, _ = cv2.connectedComponentsWithStats(changed)
    large = facts[:, cv2.CC_STAT_AREA] >= (_LEAST_SHARE * face_px) ** 2
    large[0] = False
    return large[labels].astype(np.uint8)


def _matched(own: np.ndarray, own_words: np.ndarray, others: np.ndarray, words: np.ndarray | None):
    """(place, other place) of key points that are alike beyond doubt."""
    if words is None or len(words) < 3 or not len(own):
        return []
    made = []
    for rows in cv2.BFMatcher(cv2.NORM_L2).knnMatch(own_words, words, k=3):
        near = [m for m in rows if np.hypot(*(own[m.queryIdx] - others[m.trainIdx])) > 6.0]
        if len(near) >= 2 and near[0].distance < _RATIO * near[1].distance:
            made.append((own[near[0].queryIdx], others[near[0].trainIdx]))
    return made


def _groups(pairs: Sequence, face_px: float) -> list[tuple[np.ndarray, np.ndarray]]:
    """(places, other places) of matches that one turn, scale and mirror explains."""
    rest, found = list(pairs), []
    while len(rest) >= _LEAST_MATCHES:
        here, there = (np.float32([pair[n] for pair in rest]) for n in (0, 1))
        matrix, inliers = cv2.estimateAffine2D(here, there, method=cv2.RANSAC, ransacReprojThreshold=2.5,
                                               maxIters=3000, confidence=0.995)
        if matrix is None or inliers.sum() < _LEAST_MATCHES:
            break
        inside = inliers.ravel() > 0
        scale = np.linalg.svd(matrix[:, :2], compute_uv=False)
        if scale[1] > 0.6 and scale[0] < 1.7:
            found.append((here[inside], there[inside]))
        rest = [pair for pair, good in zip(rest, inside) if not good]
    return found


def _less_mends(groups, light: np.ndarray, changed: np.ndarray, face_px: float) -> list[Repeat]:
    """The groups that are seen as repeats."""
    found, sources = [], []
    tone = cv2.GaussianBlur(light, (0, 0), max(2.0, 0.012 * face_px))
    pores = light - cv2.GaussianBlur(light, (0, 0), max(2.0, _PORES_SHARE * face_px))
    for here, there in groups:
        middle, other = np.median(here, 0), np.median(there, 0)
        radius = _radius_alike(pores, middle, _turned_and_scaled(here, there), face_px)
        ty, tx = there[:, 1].astype(int), there[:, 0].astype(int)
        hy, hx = here[:, 1].astype(int), here[:, 0].astype(int)
        off = float(np.median(np.abs(tone[hy, hx] - tone[ty, tx])))
        both = bool(np.median(changed[ty, tx]) > 0)  # seen at two places that were not so before
        again = any(np.hypot(*(other - s)) < radius + r and np.hypot(*(middle - m)) > radius for s, m, r in sources)
        sources.append((other, middle, radius))
        if both or again or (off < _TONE_L and 2 * radius >= _LARGE_ALIKE_SHARE * face_px):
            found.append(Repeat(*((float(x), float(y), radius) for x, y in (other, middle))))
    return _one_for_each_pair(found)


def _turned_and_scaled(here: np.ndarray, there: np.ndarray) -> np.ndarray:
    """(2, 3) of the turn, mirror and scale that lead nearest from places to places (Umeyama 1991, mirrors let in): it
    still holds beyond them, where a free affine goes astray.
    """
    a, b = here - here.mean(0), there - there.mean(0)
    u, _, v = np.linalg.svd(b.T @ a)
    turn = u @ v
    linear = turn * float((b * (a @ turn.T)).sum() / max((a * a).sum(), 1e-9))
    return np.column_stack([linear, there.mean(0) - linear @ here.mean(0)])


def _radius_alike(pores: np.ndarray, middle: np.ndarray, matrix: np.ndarray, face_px: float) -> float:
    """Radius, px, of a disc as large as the area around `middle` whose pores are those that `matrix` leads to.

    Key points tell where a copy is, but not how far it goes: they keep off its rim.
    """
    reach = int(_REACH_SHARE * face_px)
    height, width = pores.shape
    x0, y0 = np.maximum(0, middle.astype(int) - reach)
    x1, y1 = min(width, int(middle[0]) + reach), min(height, int(middle[1]) + reach)
    here = pores[y0:y1, x0:x1]
    moved = matrix.copy()
    moved[:, 2] += matrix[:, :2] @ np.array([x0, y0], float)
    there = cv2.warpAffine(pores, moved, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    sigma = max(2.0, _ALIKE_SHARE * face_px)

    def around(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (0, 0), sigma)

    alike = around(here * there) / np.sqrt(around(here * here) * around(there * there) + 1e-6) > _ALIKE
    _, labels = cv2.connectedComponents(alike.astype(np.uint8))
    own = labels[min(int(middle[1]) - y0, labels.shape[0] - 1), min(int(middle[0]) - x0, labels.shape[1] - 1)]
    return float(max(2.0, np.sqrt((labels == own).sum() / np.pi))) if own else 2.0


def _one_for_each_pair(found: list[Repeat]) -> list[Repeat]:
    """A pair found from both its sides is one."""
    kept: list[Repeat] = []
    for one in found:
        twice = any(np.hypot(one.first[0] - other.second[0], one.first[1] - other.second[1]) < one.first[2]
                    and np.hypot(one.second[0] - other.first[0], one.second[1] - other.first[1]) < one.first[2]
                    for other in kept)
        if not twice:
            kept.append(one)
    return kept


def marked(repeats: Sequence[Repeat], shape: tuple[int, int], scale: float) -> Mask:
    """Discs over all places, at a smaller size. scale: source px per pixel."""
    out = np.zeros(shape, np.float32)
    for one in repeats:
        for x, y, radius in (one.first, one.second):
            cv2.circle(out, (round(x / scale), round(y / scale)), max(2, round(radius / scale)), 1.0, -1)
    return out

