"""Lip colour on the skin beside the lips: told by what a blob there changes, against what the lips are made of."""

import cv2
import numpy as np

from lather.core.find import boosted_trees
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
    height, width = scene.lab.shape[:2]
    if not len(near) or not (0 <= middle[0] < width and 0 <= middle[1] < height):
        return none
    reach = int(_REACH * max(half, _HALF_HEIGHT * d) + 1.2 * places[near, 2].max()) + 8
    x0, y0 = (max(0, int(n) - reach) for n in middle)
    part = scene.lab[y0 : int(middle[1]) + reach, x0 : int(middle[0]) + reach]
    soft = cv2.GaussianBlur(part, (0, 0), max(0.8, 0.15 * scene.per_mm))
    middle, places = middle - (x0, y0), places - (x0, y0, 0)
    lips = _median_in(soft, middle, across, down, _LIPS_WIDE * half, _LIPS_HIGH * d)
    at, size = places[near, :2], places[near, 2]
    core, ring = _disc_and_ring(soft, at, size)
    other, other_ring = _disc_and_ring(soft, at - 2 * ((at - middle) @ across)[:, None] * across, size)
    away = lips - ring
    length = np.maximum(np.maximum(np.abs(away[:, 0]), np.hypot(away[:, 1], away[:, 2])), 1.0)  # lightness or colour
    way = away / np.maximum(np.linalg.norm(away, axis=1), 1e-3)[:, None]
    change = core - ring
    along = _dot(change, way)
    beside = np.linalg.norm(change - along[:, None] * way, axis=1)
    to_lips = np.stack([_at(soft, at + t * (middle - at)) for t in np.linspace(0.15, 0.7, 8)])
    bridge = _dot(to_lips - ring, way).min(0)
    return near, np.stack([
        radius[near], np.abs(u[near]), np.sign(v[near]), along / np.maximum(np.linalg.norm(change, axis=1), 1e-3),
        along / length, beside / length, _dot(other - other_ring, way) / length, bridge / length,
        _dot(core - other, way) / length,
    ], 1)


def find_smears(scene: FindScene, blobs, measured: np.ndarray) -> list[Find]:
    """Smeared lip colour among the measured blobs of `spots`, most certain first. measured: their features (n, f)."""
    places = np.array([(blob.x, blob.y, blob.size) for blob in blobs]).reshape(-1, 3)
    near, own = lip_features(scene, places)
    if not len(near):
        return []
    sure = boosted_trees.model("lips", scene.weights).shares(np.concatenate([measured[near], own], 1))[:, 1]
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


def _median_in(lab: Lab, middle, across, down, wide: float, high: float) -> np.ndarray:
    """Median of an ellipse."""
    t = np.linspace(0, 2 * np.pi, 24, endpoint=False)[:, None]
    rim = wide * np.cos(t) * across + high * np.sin(t) * down
    return np.median(_at(lab, np.concatenate([middle + s * rim for s in (0.35, 0.7, 1.0)])), axis=0)


def _disc_and_ring(lab: Lab, at: np.ndarray, sizes: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Medians (n, 3) in the middle of blobs, and around them."""
    angles = np.linspace(0, 2 * np.pi, 16, endpoint=False)
    around = np.stack([np.cos(angles), np.sin(angles)], 1)
    disc = np.concatenate([r * around[::4] for r in (0.0, 0.15, 0.3)])
    ring = np.concatenate([r * around for r in (0.9, 1.1)])
    return tuple(
        np.median(_at(lab, at[:, None] + sizes[:, None, None] * part), axis=1) for part in (disc, ring)
    )


def _dot(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    return (a * b).sum(-1)


def _at(lab: Lab, places: np.ndarray) -> np.ndarray:
    """Lab at places (..., 2), those off the part at its border."""
    x, y = (np.clip(places[..., n].astype(int), 0, lab.shape[1 - n] - 1) for n in (0, 1))
    return lab[y, x]
