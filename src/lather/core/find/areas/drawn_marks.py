"""Drawn marks on skin: strokes darker or of another colour than the skin they lie on, with sharp edges, in one place.

Looked for off the face, where hair, brows and lips are drawn by nature; on a face they are outlined by hand.
"""

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.people.reading import People
from lather.core.types import Mask

_AROUND_MM, _CLOSED_MM = 7.0, 3.0  # what skin is told from; gaps inside a mark that belong to it
_LEAST_OFF, _LEAST_CONTRAST = 11.0, 16.0  # ΔE (76) from the skin around: of a pixel of ink, of the middle of a mark
_STROKE_MM = (0.25, 7.0)  # mean width of a stroke
_LEAST_INK_MM2, _LEAST_SPAN_MM = 25.0, 7.0
_SHARP = 0.33  # of the way from skin to ink that its edge climbs within a pixel and a half, at the least
_SKIN_AROUND = 0.85  # share of the rim around a mark that is skin
_HAIR_MM = 5.0  # nearer to hair, a dark stroke is a lock
_FACE_WIDER = 1.25
_FILLED = (0.06, 0.75)  # share of its own hull that is ink: less is a stray line, more a strap or a button
_LEAST_PER_MM = 2.0  # on smaller people a strap, a lock or a shadow looks like one: there they are outlined by hand
_DARKER = -3.0  # L* that ink may be lighter than the skin at the most


def find_drawn_marks(scene: FindScene) -> list[Find]:
    """One for each mark, outlined with its gaps; the largest first."""
    people, per_mm = scene.measures.people, scene.per_mm
    if not people.persons or per_mm < _LEAST_PER_MM:
        return []
    skin = _skin_with_what_is_drawn_on_it(scene, people)
    if skin.sum() < 400:
        return []
    lab = cv2.GaussianBlur(scene.lab, (0, 0), max(0.5, 0.08 * per_mm))
    usual = _low(lab, scene.skin, _AROUND_MM * per_mm)
    off = np.linalg.norm(lab - usual, axis=-1)
    ink = ((off > _LEAST_OFF) & (lab[..., 0] < usual[..., 0] - _DARKER) & (skin > 0)).astype(np.uint8)
    side = 2 * max(1, round(_CLOSED_MM * per_mm / 2)) + 1
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(cv2.morphologyEx(ink, cv2.MORPH_CLOSE, ball))
    found = []
    for number in range(1, count):
        x, y, width, height, _ = stats[number]
        if max(width, height) < _LEAST_SPAN_MM * per_mm:
            continue
        part = np.s_[max(0, y - side) : y + height + side, max(0, x - side) : x + width + side]
        find = _judged(scene, labels[part] == number, ink[part] > 0, off[part], lab[part], skin[part], part)
        found += [find] if find is not None else []
    return sorted(found, key=lambda find: -find.size_px)


def _skin_with_what_is_drawn_on_it(scene: FindScene, people: People) -> np.ndarray:
    """Skin off the faces and away from hair, its holes closed; uint8."""
    per_mm = scene.per_mm
    side = 2 * max(1, round(4.0 * per_mm)) + 1
    small = (scene.skin > 0.5).astype(np.uint8)
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)))
    closed[scene.at_scale(people.small("ground")) > 0.5] = 0
    reach = 2 * max(1, round(_HAIR_MM * per_mm)) + 1
    hair = (scene.at_scale(people.small("hair")) > 0.4).astype(np.uint8)
    closed[cv2.dilate(hair, np.ones((reach, reach), np.uint8)) > 0] = 0
    for face in people.faces:
        rim = np.array([scene.to_here(*place) for place in _around(face)], np.float32)
        cv2.fillPoly(closed, [np.round(rim).astype(np.int32)], 0)
    return closed


def _around(face) -> np.ndarray:
    from_middle = face.mesh_px if face.mesh else np.array(list(face.points.values()), float)
    hull = cv2.convexHull(np.float32(from_middle))[:, 0]
    return hull.mean(0) + _FACE_WIDER * (hull - hull.mean(0))


def _low(lab: np.ndarray, skin: Mask, sigma: float) -> np.ndarray:
    """Mean colour of the skin around each pixel."""
    k = max(1, int(sigma / 4))
    size = (max(1, lab.shape[1] // k), max(1, lab.shape[0] // k))
    weight = cv2.resize((skin > 0.6).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    values = cv2.resize(lab * (skin > 0.6)[..., None], size, interpolation=cv2.INTER_AREA)
    near = cv2.GaussianBlur(weight, (0, 0), sigma / k)
    mean = cv2.GaussianBlur(values, (0, 0), sigma / k) / np.maximum(near, 1e-3)[..., None]
    return cv2.resize(mean, lab.shape[1::-1], interpolation=cv2.INTER_LINEAR)


def _judged(scene: FindScene, whole, ink, off, lab, skin, part) -> Find | None:
    per_mm = scene.per_mm
    own = whole & ink
    area = own.sum() / per_mm**2
    if area < _LEAST_INK_MM2:
        return None
    contours, _ = cv2.findContours(whole.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    rim = max(contours, key=cv2.contourArea)
    hull = cv2.convexHull(rim)
    filled = own.sum() / max(cv2.contourArea(hull), 1.0)
    inside = cv2.distanceTransform(own.astype(np.uint8), cv2.DIST_L2, 5)
    ridge = inside[(inside >= 1) & (inside == cv2.dilate(inside, np.ones((3, 3))))]
    width = 2 * float(ridge.mean()) / per_mm if ridge.size else 0.0
    ring = cv2.dilate(whole.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool) & ~whole
    around = float((skin[ring] > 0).mean()) if ring.any() else 0.0
    edge = own & (inside < 2)
    step = np.hypot(cv2.Sobel(off, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(off, cv2.CV_32F, 0, 1, scale=1 / 8))
    contrast = float(np.median(off[own]))
    sharp = float(np.median(step[edge])) * max(1.0, 0.16 * per_mm) * 1.5 / max(contrast, 1e-3) if edge.any() else 0.0
    if not (_FILLED[0] <= filled <= _FILLED[1] and _STROKE_MM[0] <= width <= _STROKE_MM[1]
            and around >= _SKIN_AROUND and sharp >= _SHARP and contrast >= _LEAST_CONTRAST):
        return None
    places = rim[:, 0].astype(float) + np.array([part[1].start + 0.5, part[0].start + 0.5])
    outline = tuple(scene.to_source(float(x), float(y)) for x, y in places)
    x, y = np.mean(outline, axis=0)
    size = float(np.sqrt(cv2.contourArea(rim) * 4 / np.pi) * scene.step)
    confidence = float(np.clip(0.5 + 0.02 * (contrast - _LEAST_OFF) + 0.3 * (around - _SKIN_AROUND), 0.5, 0.98))
    return Find(f"drawn_mark-{x:.0f}-{y:.0f}", "drawn_mark", float(x), float(y), size, contrast, confidence,
                scene.zone(x, y), True, True, outline)
