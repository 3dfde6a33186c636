"""One eye looked at closely: the opening between its lids, and the iris."""

from dataclasses import dataclass

import numpy as np

from lather.core.face.crop import Crop
from lather.core.face.networks import run
from lather.core.types import EncodedRGB

_SIDE = 64
_ROOM = 2.3  # of the width of an eye that the network wants to see
_OPENING = 16  # points of the opening; the rest lie further out


@dataclass(frozen=True)
class Eye:
    """opening: (16, 2) from the outer corner along the lower lid to the inner one, then the upper lid from outside.

    iris: middle, and radius, px.
    """

    opening: np.ndarray
    middle: tuple[float, float]
    radius: float


def find_eye(picture: EncodedRGB, corners: np.ndarray, side: str) -> Eye:
    """corners: (2, 2) on the left and on the right of the eye. side: left or right in the picture."""
    way = corners[1] - corners[0]
    middle = corners.mean(0)
    crop = Crop((float(middle[0]), float(middle[1])), _ROOM * float(np.hypot(*way)), float(np.arctan2(way[1], way[0])),
                _SIDE, mirrored=side == "right")
    out = run("iris_landmark", crop.cut(picture))
    contour = crop.to_picture(out["output_eyes_contours_and_brows"].reshape(-1, 3)[:, :2].astype(float))
    iris = crop.to_picture(out["output_iris"].reshape(-1, 3)[:, :2].astype(float))
    radius = float(np.hypot(*(iris[1:] - iris[0]).T).mean())
    return Eye(contour[:_OPENING], (float(iris[0, 0]), float(iris[0, 1])), radius)
