"""Where faces are: boxes with six points each, of all faces in a picture, also of small ones."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.face.networks import run
from lather.core.types import EncodedRGB

_SIDE = 256
_LEAST_SCORE, _MOST_OVERLAP = 0.5, 0.3
_CROP_SHARE, _CROP_STEPS = 0.5, (0.0, 0.25, 0.5)  # of the longer side: looked at again for small faces
_LEAST_FACE_SHARE = 0.02  # of the longer side; smaller ones are nothing to retouch
_SURE_IN_CROPS = 0.7
_CLOSE_UP_SHARE = 0.25  # of the longer side


@dataclass(frozen=True)
class Box:
    """x0, y0, x1, y1 in px. points: (6, 2) eyes, tip of the nose, mouth, ears; those on the left of the face first."""

    x0: float
    y0: float
    x1: float
    y1: float
    score: float
    points: np.ndarray

    @property
    def size(self) -> float:
        """Its longer side, px."""
        return max(self.x1 - self.x0, self.y1 - self.y0)

    def scaled(self, scale: float, origin=(0.0, 0.0)) -> "Box":
        """In pixels of which each is 1 / scale of those here, counted from `origin` (in the new ones)."""
        places = np.array([(self.x0, self.y0), (self.x1, self.y1), *self.points]) * scale - origin
        return Box(*places[0], *places[1], self.score, places[2:])


def _anchors() -> np.ndarray:
    """Middles (896, 2) of what the network looks at: 16×16 cells of 2, 8×8 cells of 6."""
    places = []
    for cells, each in ((16, 2), (8, 6)):
        ys, xs = np.mgrid[:cells, :cells]
        middles = np.stack([(xs + 0.5) / cells, (ys + 0.5) / cells], -1).reshape(-1, 2)
        places.append(np.repeat(middles, each, 0))
    return np.concatenate(places)


_ANCHORS = _anchors()


def find_faces(small: EncodedRGB) -> list[Box]:
    """Faces of a picture (h, w, 3) of sRGB-like values 0-1, the largest first; places in its px."""
    height, width = small.shape[:2]
    longest = max(height, width)
    found = _detect(small, 0, 0)
    part = int(_CROP_SHARE * longest)
    close_up = any(box.size > _CLOSE_UP_SHARE * longest for box in found)  # then nobody else is to be retouched
    for fy in () if close_up else _CROP_STEPS:
        for fx in _CROP_STEPS:
            x0, y0 = int(fx * longest), int(fy * longest)
            crop = small[y0 : y0 + part, x0 : x0 + part]
            if min(crop.shape[:2]) >= part // 3:
                seen = _detect(crop, x0, y0)
                found += [box for box in seen if box.score >= _SURE_IN_CROPS and _whole(box, crop, x0, y0)]
    kept: list[Box] = []
    for box in sorted(found, key=lambda b: -b.score):
        if box.size >= _LEAST_FACE_SHARE * longest and all(_shared(box, other) < _MOST_OVERLAP for other in kept):
            kept.append(box)
    return sorted(kept, key=lambda b: -b.size)


def _whole(box: Box, crop: np.ndarray, x0: int, y0: int) -> bool:
    """True if a box lies inside the crop it was seen in: a part of a face is none."""
    return box.x0 >= x0 and box.y0 >= y0 and box.x1 <= x0 + crop.shape[1] and box.y1 <= y0 + crop.shape[0]


def _detect(picture: EncodedRGB, x0: int, y0: int) -> list[Box]:
    height, width = picture.shape[:2]
    scale = _SIDE / max(height, width)
    inner = cv2.resize(picture, (max(1, round(width * scale)), max(1, round(height * scale))),
                       interpolation=cv2.INTER_AREA)
    top, left = (_SIDE - inner.shape[0]) // 2, (_SIDE - inner.shape[1]) // 2
    boxed = np.zeros((_SIDE, _SIDE, 3), np.float32)
    boxed[top : top + inner.shape[0], left : left + inner.shape[1]] = inner
    out = run("face_detection_back", boxed * 2 - 1)
    scores = 1 / (1 + np.exp(-np.clip(out["classificators"].reshape(-1), -80, 80)))
    raw = out["regressors"].reshape(-1, 16)
    boxes = []
    for n in np.flatnonzero(scores > _LEAST_SCORE):
        places = raw[n].reshape(8, 2) / _SIDE
        middle, size = _ANCHORS[n] + places[0], places[1]
        corners = np.array([middle - size / 2, middle + size / 2, *(_ANCHORS[n] + places[2:])])
        corners = (corners * _SIDE - (left, top)) / scale + (x0, y0)
        boxes.append(Box(*corners[0], *corners[1], float(scores[n]), corners[2:]))
    return boxes


def _shared(a: Box, b: Box) -> float:
    """Share of the smaller box that lies in the other."""
    w = min(a.x1, b.x1) - max(a.x0, b.x0)
    h = min(a.y1, b.y1) - max(a.y0, b.y0)
    if w <= 0 or h <= 0:
        return 0.0
    return w * h / min((a.x1 - a.x0) * (a.y1 - a.y0), (b.x1 - b.x0) * (b.y1 - b.y0))
