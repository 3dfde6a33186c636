"""Where a beard grows: fine dark hair around mouth and jaw, among which folds, smears and hairs are natural."""

import cv2
import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.face_map import FaceMap
from lather.core.types import Mask

HIDDEN_KINDS = ("crease", "makeup_fold", "smeared_lip", "hair_on_skin", "brow_hair", "vein_nose", "scar")
"""Kinds that are not told from hair where it grows."""
SPOTS_FROM = 0.9  # confidence of a spot that shows through a beard
_HAIR_MM, _SPREAD_MM = 0.45, 1.6
_DEEPEST_L = 25.0  # one deep shadow is not many hairs
_HAIRY_L = 2.6  # L* by which fine dark structure darkens on the mean; skin has 1 to 2, coarse stubble 2
_CHIN_WIDE = 0.75  # eye distances to each side of the mouth in which a beard shows if there is one
_LEAST_SHARE = 0.3
_WIDE, _ABOVE_NOSE_TIP, _BELOW_CHIN = 1.5, 0.15, 1.2  # eye distances: how far it may reach
_RIM_MM = 1.5
_COARSER = 4
_READ, _LEAST_READ = 0.5, 200  # share of a pixel; pixels of about 1000


def beard_mask(scene: FindScene) -> Mask | None:
    """Beard of `scene.rect`, uint8 0 or 1, of everybody; None where there is none.

    What the reading calls beard, and stubble that it is not sure of: fine dark structure, which a closing by about a
    hair's width fills (black top-hat), averaged over some millimetres.
    """
    people = scene.measures.people
    found = [mask for face in scene.measures.faces if (mask := _stubble(scene, face)) is not None]
    read = people.small("beard")
    if (read > _READ).sum() >= _LEAST_READ:
        found.append((scene.at_scale(read) > _READ).astype(np.uint8))
    return np.max(found, axis=0) if found else None


def _stubble(scene: FindScene, face: FaceMap) -> Mask | None:
    """Where fine dark hair grows around the mouth of one face; None where it does not."""
    lightness = cv2.extractChannel(scene.lab, 0)
    side = 2 * max(1, round(_HAIR_MM * scene.per_mm)) + 1
    ball = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    hairy = np.minimum(cv2.morphologyEx(lightness, cv2.MORPH_BLACKHAT, ball), np.float32(_DEEPEST_L))
    size = (max(1, hairy.shape[1] // _COARSER), max(1, hairy.shape[0] // _COARSER))
    hairy = cv2.GaussianBlur(cv2.resize(hairy, size, interpolation=cv2.INTER_AREA), (0, 0),
                             _SPREAD_MM * scene.per_mm / _COARSER)
    ys, xs = np.mgrid[: size[1], : size[0]].astype(np.float32)
    u, v = face.in_frame(*scene.to_source((xs + 0.5) * _COARSER, (ys + 0.5) * _COARSER))
    nose, chin = (float(face.in_frame(*face.points[name])[1]) for name in ("nose_tip", "chin"))
    reach = (np.abs(u) < _WIDE) & (v > nose - _ABOVE_NOSE_TIP) & (v < chin + _BELOW_CHIN)
    where = (hairy > _HAIRY_L) & reach
    mouth = float(np.mean([face.in_frame(*face.points[name])[1] for name in ("mouth_left", "mouth_right")]))
    shows = (np.abs(u) < _CHIN_WIDE) & (np.abs(v - (mouth + chin) / 2) < (chin - mouth) / 2)
    if not shows.any() or where[shows].mean() < _LEAST_SHARE:
        return None
    rim = 2 * max(1, round(_RIM_MM * scene.per_mm / _COARSER)) + 1
    grown = cv2.dilate(where.astype(np.uint8), np.ones((rim, rim), np.uint8))
    return cv2.resize(grown, lightness.shape[::-1], interpolation=cv2.INTER_NEAREST)


def is_hidden(find, beard: Mask | None, scene: FindScene) -> bool:
    """True of a find that is most likely hair of the beard."""
    if beard is None or (find.kind not in HIDDEN_KINDS and find.confidence >= SPOTS_FROM):
        return False
    places = find.path if find.path is not None else [(find.x, find.y)]
    here = [scene.to_here(x, y) for x, y in places]
    inside = [beard[int(y), int(x)] for x, y in here if 0 <= x < beard.shape[1] and 0 <= y < beard.shape[0]]
    return bool(inside) and float(np.mean(inside)) > 0.5
