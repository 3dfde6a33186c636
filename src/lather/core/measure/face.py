"""Where the face is: a first guess of the face map from a shipped detector, to be corrected by dragging."""

import functools

import cv2
import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.types import EncodedRGB, Lab

_DETECT_SIDE, _EYES_SIDE = 500, 800  # px of the picture's longer side: a face is seen in fewer than its eyes
_LEAST_FACE_SHARE = 0.06  # of the picture's shorter side
_IRIS, _WHITE_NEAR, _WHITE_FAR, _WHITE_HALF = 0.075, 0.1, 0.2, 0.03
_IRIS_WITHIN = (0.22, 0.13)  # of the detected middle, across and down (standard deviations)
_LEAST_IRIS, _APART_SPREAD = 0.02, 0.1
_JAW_WIDE, _JAW_ASIDE = (1.72, 0.15), 0.3  # in distances of the eyes: mean and spread, and how far the middle is off
_EYES_IN_BOX = ((0.305, 0.395), (0.695, 0.395))


@functools.cache
def _cascade(name: str) -> cv2.CascadeClassifier:
    """Viola and Jones 2001; the trained data ships with OpenCV."""
    return cv2.CascadeClassifier(f"{cv2.data.haarcascades}haarcascade_{name}.xml")


def guess_face_map(small: EncodedRGB, lab: Lab, scale: float) -> FaceMap | None:
    """Face map of the largest face, or None if the detector sees none.

    small: sRGB-like encoded picture (h, w, 3), long side of about 1000 px; lab: the same in Lab. scale: source pixels
    per pixel of it.
    """
    shrink = min(1.0, _EYES_SIDE / max(small.shape[:2]))
    grey = (np.clip(small @ np.array([0.299, 0.587, 0.114], np.float32), 0, 1) * 255).astype(np.uint8)
    grey = cv2.resize(grey, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    fewer = min(1.0, _DETECT_SIDE / max(grey.shape))
    coarse = cv2.resize(grey, None, fx=fewer, fy=fewer, interpolation=cv2.INTER_AREA)
    least = max(20, int(_LEAST_FACE_SHARE * min(coarse.shape)))
    boxes, _, weights = _cascade("frontalface_alt2").detectMultiScale3(
        coarse, 1.08, 3, minSize=(least, least), outputRejectLevels=True
    )
    boxes = np.asarray(boxes, float) / fewer
    if len(boxes) == 0:
        return None
    rank = np.asarray(weights, float).ravel() + 8 * np.log(boxes[:, 2])
    candidates = []
    for index in np.argsort(-rank)[:3]:
        eyes, trust = _eyes(grey, boxes[index])
        candidates.append((rank[index] + 4 * trust, index, eyes))
    _, index, eyes = max(candidates, key=lambda c: c[0])
    x, y, w, _ = (float(v) for v in boxes[index])
    if eyes is None:
        eyes = np.array([[x + fx * w, y + fy * w] for fx, fy in _EYES_IN_BOX])
    return _from_eyes(small, lab, eyes / shrink, scale)


def _eyes(grey: np.ndarray, box) -> tuple[np.ndarray | None, float]:
    """Both eyes inside a face box, (2, 2) left first, and how much the detectors agree, 0-1."""
    x, y, w, h = (int(v) for v in box)
    part = grey[y + int(0.14 * h) : y + int(0.62 * h), x : x + w]
    if part.size == 0:
        return None, 0.0
    sides: dict[int, list] = {0: [], 1: []}
    for name in ("eye", "eye_tree_eyeglasses"):
        found, _, weights = _cascade(name).detectMultiScale3(
            part, 1.06, 3, minSize=(int(0.12 * w),) * 2, maxSize=(int(0.36 * w),) * 2, outputRejectLevels=True
        )
        for (ex, ey, ew, eh), weight in zip(found, np.ravel(weights)):
            cx, cy = ex + ew / 2, ey + eh / 2 + int(0.14 * h)
            expected = _EYES_IN_BOX[int(cx > w / 2)]
            off = np.hypot(cx / w - expected[0], cy / h - expected[1])
            if off < 0.16:
                sides[int(cx > w / 2)].append((float(weight) - 10 * off, x + cx, y + cy))
    if not (sides[0] and sides[1]):
        return None, 0.3 * bool(sides[0] or sides[1])
    pair = np.array([max(sides[s])[1:] for s in (0, 1)])
    slope = abs(pair[1, 1] - pair[0, 1]) / max(pair[1, 0] - pair[0, 0], 1)
    return (pair, 1.0) if slope < 0.35 else (None, 0.2)


def _irises(lab: np.ndarray, eyes: np.ndarray) -> np.ndarray:
    """Both irises (2, 2) near the middles of the eyes: likely ones that are as far apart as eyes are in a face."""
    apart = float(np.hypot(*(eyes[1] - eyes[0])))
    left, right = (_likely_irises(lab, eye, apart) for eye in eyes)
    if not (left and right):
        return eyes
    pairs = [(np.log(a * b) - 0.5 * ((np.hypot(*(q - p)) / apart - 1) / _APART_SPREAD) ** 2, n, m)
             for n, (a, p) in enumerate(left) for m, (b, q) in enumerate(right)]
    _, n, m = max(pairs)
    return np.array([left[n][1], right[m][1]])


def _likely_irises(lab: np.ndarray, at: np.ndarray, apart: float) -> list[tuple[float, np.ndarray]]:
    """(score, place) of dark discs with eye white (nearly without colour, as light as skin) beside them.

    Sizes are shares of the distance between the eyes: an iris is 11.7 mm wide, pupils are about 63 mm apart.
    """
    reach = np.ceil(apart * np.array([_IRIS_WITHIN[0] + _WHITE_FAR, _IRIS_WITHIN[1] + _WHITE_HALF])).astype(int)
    x0, y0 = np.maximum(0, at.astype(int) - reach)
    part = lab[y0 : int(at[1]) + reach[1] + 1, x0 : int(at[0]) + reach[0] + 1]
    if min(part.shape[:2]) < 5:
        return []
    lightness, chroma = np.ascontiguousarray(part[..., 0]), np.hypot(part[..., 1], part[..., 2])
    skin_light, skin_chroma = np.percentile(lightness, 60), max(float(np.percentile(chroma, 60)), 4.0)
    dark = np.clip(1 - lightness / (0.75 * skin_light), 0, 1)
    white = np.clip(1.25 - chroma / (0.8 * skin_chroma), 0, 1) * np.clip((lightness / skin_light - 0.6) / 0.3, 0, 1)
    radius = max(1, round(_IRIS * apart))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2).astype(np.float32)
    rows, columns = max(1, round(_WHITE_HALF * apart)), max(2, round(_WHITE_FAR * apart))
    beside = np.zeros((2 * rows + 1, 2 * columns + 1), np.float32)
    beside[:, columns + max(1, round(_WHITE_NEAR * apart)) :] = 1
    iris = cv2.filter2D(dark, -1, disc / disc.sum(), borderType=cv2.BORDER_REPLICATE)
    right, left = (cv2.filter2D(white, -1, k / k.sum(), borderType=cv2.BORDER_REPLICATE)
                   for k in (beside, np.ascontiguousarray(beside[:, ::-1])))
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]]
    off = np.stack([xs + x0 - at[0], ys + y0 - at[1]]) / apart
    near = np.exp(-0.5 * ((off[0] / _IRIS_WITHIN[0]) ** 2 + (off[1] / _IRIS_WITHIN[1]) ** 2))
    score = iris * (left + right + np.minimum(left, right)) * near
    beyond = np.ones((2 * radius + 1,) * 2, np.uint8)
    rows, columns = np.nonzero((score >= cv2.dilate(score, beyond)) & (score > _LEAST_IRIS))
    return [(float(score[r, c]), np.array([c + x0, r + y0], float)) for r, c in zip(rows, columns)]


def _from_eyes(small: EncodedRGB, lab: Lab, eyes: np.ndarray, scale: float) -> FaceMap:
    eyes = _irises(lab, eyes)
    apart = float(np.hypot(*(eyes[1] - eyes[0])))
    across = (eyes[1] - eyes[0]) / apart
    down = np.array([-across[1], across[0]])
    middle = eyes.mean(0)
    mouth = _mouth(lab, middle, across, down, apart)
    centre = mouth.mean(0)
    length = float((centre - middle) @ down)
    left, right = _jaw(lab, middle + 1.22 * length * down, across, apart)
    turned = 0.5 * (left + right)  # of a head turned aside one cheek shows more: chin towards it, nose away
    jaw = [middle + 1.25 * length * down + u * apart * across for u in (left, right)]
    chin = middle + 1.68 * length * down + turned * apart * across
    nose = middle + 0.6 * length * down - 0.5 * turned * apart * across
    hairline = _hairline(lab, middle, down, apart)
    points = {
        "eye_left": eyes[0],
        "eye_right": eyes[1],
        "nose_tip": nose,
        "mouth_left": mouth[0],
        "mouth_right": mouth[1],
        "chin": chin,
        "jaw_left": jaw[0],
        "jaw_right": jaw[1],
        "hairline": hairline,
    }
    return FaceMap({name: (float(p[0] * scale), float(p[1] * scale)) for name, p in points.items()})


def _mouth(lab: np.ndarray, middle, across, down, apart: float) -> np.ndarray:
    """Both corners (2, 2): the widest reddest band below the nose; set by proportion if there is none."""
    us = np.arange(-0.62, 0.63, 0.02)
    vs = np.arange(0.72, 1.42, 0.02)
    grid = middle + apart * (us[None, :, None] * across + vs[:, None, None] * down)
    maps = np.ascontiguousarray(grid, np.float32)
    band = cv2.remap(lab, maps[..., 0], maps[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    redness = np.arctan2(band[..., 1], np.maximum(band[..., 2], 1)) * 30 + 0.5 * band[..., 1] - 0.12 * band[..., 0]
    redness = cv2.GaussianBlur(redness, (0, 0), 1.5)
    usual, spread = np.median(redness), np.percentile(redness, 95) - np.median(redness)
    weight = np.exp(-((us / 0.5) ** 2))[None, :] * np.exp(-(((vs - 1.0) / 0.25) ** 2))[:, None]
    red = (redness - usual) > 0.45 * spread
    count, labels, stats, centres = cv2.connectedComponentsWithStats(red.astype(np.uint8))
    best, best_mass = 0, 0.0
    for i in range(1, count):
        mass = float(((redness - usual) * weight)[labels == i].sum())
        if stats[i, cv2.CC_STAT_WIDTH] > 14 and mass > best_mass:
            best, best_mass = i, mass
    default = middle + down * apart * 1.02
    if not best:
        return np.array([default - across * 0.4 * apart, default + across * 0.4 * apart])
    rows, columns = np.nonzero(labels == best)
    left, right = np.percentile(columns, 1), np.percentile(columns, 99)
    width = us[int(right)] - us[int(left)]
    v = vs[int(np.clip(np.median(rows), 0, len(vs) - 1))]
    if not 0.45 < width < 1.15:
        mid = us[int(np.clip(centres[best][0], 0, len(us) - 1))]
        return np.array([middle + apart * ((mid + s * 0.4) * across + v * down) for s in (-1, 1)])
    return np.array([middle + apart * (us[int(c)] * across + v * down) for c in (left, right)])


def _jaw(lab: np.ndarray, start: np.ndarray, across: np.ndarray, apart: float) -> tuple[float, float]:
    """How far left (< 0) and right the skin ends, in distances of the eyes: strong changes as far apart as jaws are."""
    steps = np.arange(0.4, 1.5, 0.02)
    soft = cv2.GaussianBlur(lab, (0, 0), max(1.2, 0.02 * apart))
    edges = []
    for side in (-1, 1):
        line = (start + side * apart * steps[:, None] * across).astype(np.float32)
        values = cv2.remap(soft, line[None, :, 0].copy(), line[None, :, 1].copy(), cv2.INTER_LINEAR,
                           borderMode=cv2.BORDER_REPLICATE)[0]
        edges.append(np.abs(values[4:] - values[:-4]).sum(-1))
    at = steps[2:-2]
    wide = (at[:, None] + at[None] - _JAW_WIDE[0]) / _JAW_WIDE[1]
    score = np.log(edges[0] + 6)[:, None] + np.log(edges[1] + 6)[None] - 0.5 * wide**2
    score -= 0.5 * ((at[None] - at[:, None]) / 2 / _JAW_ASIDE) ** 2
    left, right = np.unravel_index(np.argmax(score), score.shape)
    return -float(at[left]), float(at[right])


def _hairline(lab: np.ndarray, middle: np.ndarray, down: np.ndarray, apart: float) -> np.ndarray:
    """Up the forehead to where skin ends."""
    steps = np.arange(0.5, 2.1, 0.02)
    line = (middle - apart * steps[:, None] * down).astype(np.float32)
    values = cv2.remap(
        cv2.GaussianBlur(lab, (0, 0), 2.0),
        line[None, :, 0].copy(),
        line[None, :, 1].copy(),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )[0]
    usual = np.median(values[:20], axis=0)
    away = np.linalg.norm((values - usual) * [0.7, 1, 1], axis=-1)
    out = np.flatnonzero((away > 14) & (steps > 0.6))
    return middle - apart * (steps[out[0]] if len(out) else 1.3) * down
