"""Bumps of the hairdo: where its outline before the ground leaves a smooth one further than it does elsewhere.

How far an outline usually leaves its smooth line is a matter of the hair: curls do so everywhere, and are no bumps.
"""

from collections.abc import Iterator

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter1d, median_filter

from lather.core.find.scene import FindScene
from lather.core.job.face_map import FaceMap
from lather.core.job.finds import Find

KIND = "hair_bump"
_SMOOTH, _WIDE = 0.10, 0.5  # of the face's width: sigma along the outline; what it is less of is the head's own form
_LEAST, _TIMES = 0.010, 3.8  # of the face's width; of the usual deviation (1.48 × its median)
_LENGTHS = (0.04, 0.45)  # of the face's width, at half the height
_OUT_PX, _GROUND, _HAIR = 4, 0.6, 0.5
_LEAST_OUTLINE = 60
_SURE = 0.6


def find_bumps(scene: FindScene) -> list[Find]:
    """Bumps of everybody's hairdo, the highest first."""
    people, scale = scene.measures.people, scene.measures.scale
    hair, ground = (people.small(what) for what in ("scalp hair", "ground"))
    found = []
    for face in scene.measures.faces:
        person = people.person_of(face)
        own = hair if person is None else hair * people.mask_of(person.number)
        mass = (own > _HAIR).astype(np.uint8)
        rims, _ = cv2.findContours(mass, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        if rims:
            rim = max(rims, key=cv2.contourArea)[:, 0].astype(float) + 0.5
            found += _on_outline(rim, ground, face, scale)
    return sorted(found, key=lambda find: -find.contrast_de)


def _on_outline(rim: np.ndarray, ground: np.ndarray, face: FaceMap, scale: float) -> Iterator[Find]:
    """rim: closed outline (n, 2) of the hair, in pixels of the small picture."""
    width = face.width_px / scale
    if len(rim) < _LEAST_OUTLINE:
        return
    smooth = gaussian_filter1d(rim, _SMOOTH * width, axis=0, mode="wrap")
    way = np.roll(smooth, -1, 0) - np.roll(smooth, 1, 0)
    outward = np.stack([way[:, 1], -way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    if _signed_area(smooth) < 0:
        outward = -outward
    off = ((rim - smooth) * outward).sum(1)
    off = off - median_filter(off, size=int(_WIDE * width) | 1, mode="wrap")
    at = np.clip((rim + _OUT_PX * outward).astype(int), 0, np.array(ground.shape)[::-1] - 1)
    inside = (rim > 3).all(1) & (rim[:, 0] < ground.shape[1] - 3) & (rim[:, 1] < ground.shape[0] - 3)
    free = inside & (ground[at[:, 1], at[:, 0]] > _GROUND)
    if free.sum() < _LEAST_OUTLINE:
        return
    usual = 1.48 * float(np.median(np.abs(off[free])))
    least = max(_LEAST * width, _TIMES * usual)
    taken = np.zeros(len(rim), bool)
    for top in np.argsort(-off):
        if off[top] < least:
            return
        if taken[top] or not free[top]:
            continue
        run = _run(off, int(top))
        taken[run] = True
        length = len(run)
        if _LENGTHS[0] * width < length < _LENGTHS[1] * width and free[run].mean() > 0.7:
            yield _as_find(rim[run], outward[top], float(off[top]), float(length), scale)


def _run(off: np.ndarray, top: int) -> np.ndarray:
    """Places along the closed outline around a top, as far as it stays over half its height."""
    count, low, high = len(off), top, top
    while high - low < count - 1 and off[(low - 1) % count] > 0.5 * off[top]:
        low -= 1
    while high - low < count - 1 and off[(high + 1) % count] > 0.5 * off[top]:
        high += 1
    return np.arange(low, high + 1) % count


def _as_find(run: np.ndarray, outward: np.ndarray, height: float, length: float, scale: float) -> Find:
    x, y = (float(v) for v in run[len(run) // 2] * scale)
    inner = run[::-1] - 1.2 * height * outward
    outline = tuple((float(a), float(b)) for a, b in np.concatenate([run, inner])[:: max(1, len(run) // 20)] * scale)
    move = {"inward": [round(float(v), 2) for v in -height * outward * scale]}
    return Find(f"{KIND}-{x:.0f}-{y:.0f}", KIND, x, y, length * scale, height * scale, _SURE, "hair", outline=outline,
                extra=move)


def _signed_area(points: np.ndarray) -> float:
    after = np.roll(points, -1, 0)
    return 0.5 * float((points[:, 0] * after[:, 1] - after[:, 0] * points[:, 1]).sum())
