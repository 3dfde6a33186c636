"""A head in a photo: where it is, how large, how it is tilted, and its face map where its face is seen."""

from dataclasses import dataclass

import numpy as np

from lather.core.face.detector import Box
from lather.core.job.face_map import FaceMap

_LONG_TIMES = 1.15  # of the way from the eyes to the chin: a face that is turned away is no narrower
_BOX_TIMES = 0.9  # of a detected box's longer side
_POINT_EYES, _POINT_MOUTH = (0, 1), 3  # of the detector's six points


@dataclass(frozen=True)
class Head:
    """middle: between eyes and mouth, px. size: about a face's width, px. angle: of the line through the eyes, radians.

    face: None where only a box was found (a profile).
    """

    middle: tuple[float, float]
    size: float
    angle: float
    face: FaceMap | None = None

    @classmethod
    def of_face(cls, face: FaceMap, scale: float = 1.0) -> "Head":
        """Of a face map, in pixels of which each is `scale` of the map's."""
        eyes, across, _ = face.frame
        mouth = (np.array(face.points["mouth_left"]) + face.points["mouth_right"]) / 2
        chin = np.array(face.points["chin"])
        size = max(face.width_px, _LONG_TIMES * float(np.hypot(*(chin - eyes))), 1.0)
        x, y = (eyes + mouth) / 2 / scale
        return cls((float(x), float(y)), size / scale, float(np.arctan2(across[1], across[0])), face)

    @classmethod
    def of_box(cls, box: Box, scale: float = 1.0) -> "Head":
        """Of a detected box; its px are `scale` times those wanted."""
        left, right = (box.points[n] for n in _POINT_EYES)
        x, y = ((left + right) / 2 + box.points[_POINT_MOUTH]) / 2 / scale
        way = right - left
        angle = float(np.arctan2(way[1], way[0])) if np.hypot(*way) > 0.15 * box.size else 0.0
        return cls((float(x), float(y)), _BOX_TIMES * box.size / scale, angle)

    @property
    def down(self) -> np.ndarray:
        """Unit vector from the eyes to the chin."""
        return np.array([-np.sin(self.angle), np.cos(self.angle)])
