"""Lip colour on the skin beside the lips: told by what a blob there changes, against what the lips are made of."""

import cv2
import numpy as np

from lather.core.find import tell
from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.types import Lab

LEAST_CONFIDENCE = 0.5
_ONE_SMEAR = 0.8  # of the sum of two sizes
_REACH = 2.6  # radii of the mouth's ellipse up to which a smear may lie
_HALF_HEIGHT = 0.17  # of that ellipse, in eye distances
_LIPS_WIDE, _LIPS_HIGH = 0.6, 0.07  # of the mouth's half width; eye distances: there is lip on anybody
FEATURES = ("radius", "across", "below", "likeness", "along", "beside", "mirror_along", "bridge", "inside_along")
"""Place (radius in the mouth's ellipse, share of its half width, side); cosine of the blob's change with that from
skin to lips, the change along it, and beside it (1: as far as the lips are off in lightness or in colour); how far the
mirrored place goes that way; the least on the way to the lips; how far the blob goes from the mirrored place."""


def lip_features(scene: FindScene, places: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(numbers of the places that lie near the lips, their features (n, FEATURES)).

    places: (n, 3) x, y, size in pixels of the scene. Empty without a face map.
    """
    none = np.zeros(0, int), np.zeros((0, len(FEATURES)))
    face = scene.measures.face
    if face is None or not len(places):
        return none
    left, right = (np.array(scene.to_here(*face.points[name])) for name in ("mouth_left", "mouth_right"))
    middle, half = (left + right) / 2, max(float(np.hypot(*(right - left))) / 2, 1.0)
    across = (right - left) / (2 * half)
    down = np.array([-across[1], across[0]])
    d = face.eye_distance_px / scene.step
    u, v = (places[:, :2] - middle) @ across / half, (places[:, :2] - middle) @ down
    radius = np.hypot(u, v / (_HALF_HEIGHT * d))
    near = np.flatnonzero(radius < _REACH)
    soft = cv2.GaussianBlur(scene.lab, (0, 0), max(0.8, 0.15 * scene.per_mm))
    lips = _median_in(soft, middle, across, down, _LIPS_WIDE * half, _LIPS_HIGH * d)
    if lips is None or not len(near):
        return none
    found = []
    for n in near:
        at, size = places[n, :2], places[n, 2]
        core, ring = _disc_and_ring(soft, at, size)
        away = lips - ring
        length = max(abs(float(away[0])), float(np.hypot(*away[1:])), 1.0)  # by lightness or by colour
        way = away / max(float(np.linalg.norm(away)), 1e-3)
        change = core - ring
        along = float(change @ way)
        beside = float(np.linalg.norm(change - along * way))
        mirrored = middle + (2 * ((at - middle) @ down) * down - (at - middle))
        other, other_ring = _disc_and_ring(soft, mirrored, size)
        to_lips = [at + t * (middle - at) for t in np.linspace(0.15, 0.7, 8)]
        bridge = min(float((_at(soft, p) - ring) @ way) for p in to_lips)
        found.append((
            radius[n], abs(u[n]), np.sign(v[n]), along / max(float(np.linalg.norm(change)), 1e-3), along / length,
            beside / length, float((other - other_ring) @ way) / length, bridge / length,
            float((core - other) @ way) / length,
        ))
    return near, np.array(found)


def find_smears(scene: FindScene, blobs) -> list[Find]:
    """Smeared lip colour among the measured blobs of `spots`, most certain first."""
    places = np.array([(blob.x, blob.y, blob.size) for blob in blobs]).reshape(-1, 3)
    near, own = lip_features(scene, places)
    if not len(near):
        return []
    sure = tell.model("lips").shares(np.concatenate([[blobs[n].features for n in near], own], 1))[:, 1]
    finds = []
    for n, confidence in zip(near, sure):
        if confidence < LEAST_CONFIDENCE or blobs[n].contrast_de < scene.least_contrast:
            continue
        x, y = scene.to_source(blobs[n].x, blobs[n].y)
        outline = tuple(scene.to_source(float(a), float(b)) for a, b in blobs[n].outline)
        finds.append(Find(f"smeared_lip-{x:.0f}-{y:.0f}", "smeared_lip", x, y, blobs[n].size * scene.step,
                          blobs[n].contrast_de, float(confidence), "lips", False, True, outline))
    apart = []
    for find in sorted(finds, key=lambda f: -f.confidence):  # pieces of one smear count once
        if all(np.hypot(find.x - f.x, find.y - f.y) > _ONE_SMEAR * (find.size_px + f.size_px) for f in apart):
            apart.append(find)
    return apart


def _median_in(lab: Lab, middle, across, down, wide: float, high: float) -> np.ndarray | None:
    """Median of an ellipse; None off the picture."""
    values = [
        _at(lab, middle + s * (wide * np.cos(t) * across + high * np.sin(t) * down))
        for s in (0.35, 0.7, 1.0) for t in np.linspace(0, 2 * np.pi, 24, endpoint=False)
    ]
    return np.median(values, axis=0) if 0 <= middle[1] < lab.shape[0] and 0 <= middle[0] < lab.shape[1] else None


def _disc_and_ring(lab: Lab, at: np.ndarray, size: float) -> tuple[np.ndarray, np.ndarray]:
    """Medians in the middle of a blob, and around it."""
    angles = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    around = np.stack([np.cos(angles), np.sin(angles)], 1)
    disc = [_at(lab, at + r * size * e) for r in (0.0, 0.15, 0.3) for e in around[:: 4]]
    ring = [_at(lab, at + r * size * e) for r in (0.9, 1.1) for e in around]
    return np.median(disc, axis=0), np.median(ring, axis=0)


def _at(lab: Lab, place: np.ndarray) -> np.ndarray:
    x = min(max(int(place[0]), 0), lab.shape[1] - 1)
    y = min(max(int(place[1]), 0), lab.shape[0] - 1)
    return lab[y, x]
