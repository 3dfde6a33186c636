"""The 468 points of one face."""

import numpy as np

from lather.core.face.crop import Crop
from lather.core.face.detector import Box
from lather.core.face.networks import run
from lather.core.job.face_mesh import EYES, OVAL
from lather.core.types import EncodedRGB

_SIDE = 192
_ROOM = 1.5  # of the longer side of a face that the network wants to see
_PASSES = 2  # more, with the crop taken from the points before: steadier
_LEAST_SURE = 0.5


def find_mesh(picture: EncodedRGB, box: Box) -> np.ndarray | None:
    """(468, 2) points in px of the picture, float64; None if a closer look sees no face in the box."""
    places, sure = _points(picture, _crop(box.points[0], box.points[1], [(box.x0, box.y0), (box.x1, box.y1)]))
    for _ in range(_PASSES):
        left, right = (places[list(EYES[side])].mean(0) for side in ("left", "right"))
        places, sure = _points(picture, _crop(left, right, places[list(OVAL)]))
    return places if sure >= _LEAST_SURE else None


def _crop(left_eye, right_eye, around) -> Crop:
    """The square around a face with its eyes level."""
    way = np.subtract(right_eye, left_eye)
    angle = float(np.arctan2(way[1], way[0]))
    across, down = np.array([np.cos(angle), np.sin(angle)]), np.array([-np.sin(angle), np.cos(angle)])
    around = np.array(around, float)
    u, v = around @ across, around @ down
    middle = (u.min() + u.max()) / 2 * across + (v.min() + v.max()) / 2 * down
    side = _ROOM * max(np.ptp(u), np.ptp(v))
    return Crop((float(middle[0]), float(middle[1])), float(max(side, 4.0)), angle, _SIDE)


def _points(picture: EncodedRGB, crop: Crop) -> tuple[np.ndarray, float]:
    out = run("face_landmark", crop.cut(picture))
    values = {value.size: value.reshape(-1) for value in out.values()}
    sure = 1 / (1 + np.exp(-np.clip(float(values[1][0]), -80, 80)))
    return crop.to_picture(values[1404].reshape(-1, 3)[:, :2].astype(float)), float(sure)
