"""The tour: the zones of a person one after the other, so that nothing is left unseen."""

from dataclasses import dataclass

import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import BROWS, EYES, LIPS_OUTER, NOSE, OVAL, UNDER_EYES
from lather.core.phrases import worded
from lather.core.types import Mask, Rect

_ROOM = 1.25  # of a zone's own size
_OF_PERSON = 0.3
_ON_FACE = (
    ("forehead", "forehead", (67, 109, 10, 338, 297, 104, 151, 333, 105, 334)),
    ("eye_left", "eye, left", (*EYES["left"], *BROWS["left"], *UNDER_EYES["left"])),
    ("eye_right", "eye, right", (*EYES["right"], *BROWS["right"], *UNDER_EYES["right"])),
    ("nose", "nose", NOSE),
    ("cheek_left", "cheek, left", (101, 116, 123, 147, 187, 205, 207, 36)),
    ("cheek_right", "cheek, right", (330, 345, 352, 376, 411, 425, 427, 266)),
    ("mouth", "mouth", (*LIPS_OUTER, 164, 18)),
    ("chin", "chin and jaw", (136, 150, 176, 152, 400, 379, 365, 18)),
)
# Off the face, in eye distances across and down from between the eyes (from the chin where `chin` says so): middle and
# half sizes.
_AROUND = (
    ("ear_left", "ear, left", -1.35, 0.35, 0.4, 0.6, False), ("ear_right", "ear, right", 1.35, 0.35, 0.4, 0.6, False),
    ("hairline", "hairline", 0.0, -1.45, 1.2, 0.4, False), ("neck", "neck", 0.0, 0.7, 0.9, 0.6, True),
    ("shoulder_left", "shoulder, left", -2.3, 1.9, 1.0, 0.8, True),
    ("shoulder_right", "shoulder, right", 2.3, 1.9, 1.0, 0.8, True),
    ("chest", "chest", 0.0, 2.8, 1.6, 1.2, True),
    ("arm_left", "arm, left", -3.0, 4.8, 0.9, 2.0, True), ("arm_right", "arm, right", 3.0, 4.8, 0.9, 2.0, True),
    ("belly", "belly", 0.0, 6.0, 1.6, 1.4, True),
    ("hand_left", "hand, left", -3.4, 8.6, 0.9, 1.0, True), ("hand_right", "hand, right", 3.4, 8.6, 0.9, 1.0, True),
    ("leg_left", "leg, left", -0.9, 11.5, 0.9, 2.8, True), ("leg_right", "leg, right", 0.9, 11.5, 0.9, 2.8, True),
    ("feet", "feet", 0.0, 15.8, 1.4, 0.8, True),
)


@dataclass(frozen=True)
class TourStop:
    """id, label, and the part of the photo to be looked at."""

    id: str
    label: str
    area: Rect

    def __post_init__(self):
        worded(self, "label")


def tour_stops(face: FaceMap | None, bounds: Rect, person: Mask | None = None) -> tuple[TourStop, ...]:
    """Stops that are in the picture. person: its share over the whole picture, at any size; None if it is not known.

    Without a face: the picture in nine parts.
    """
    if face is None:
        return _nine(bounds)
    found = []
    if face.mesh:
        for name, label, points in _ON_FACE:
            places = face.mesh_px[list(points)]
            found.append(TourStop(name, label, _box(places.min(0), places.max(0), bounds)))
        low, high = face.mesh_px[list(OVAL)].min(0), face.mesh_px[list(OVAL)].max(0)
    origin, across, down = face.frame
    chin = np.array(face.points["chin"])
    for name, label, u, v, half_u, half_v, from_chin in _AROUND:
        to_chin = ((chin - origin) @ down) * down + 0.3 * ((chin - origin) @ across) * across
        middle = origin + (to_chin if from_chin else 0) + face.eye_distance_px * (u * across + v * down)
        half = face.eye_distance_px * np.array([half_u, half_v])
        if not face.mesh or name not in ("hairline",):
            inside = bounds.x0 <= middle[0] < bounds.x1 and bounds.y0 <= middle[1] < bounds.y1
        else:
            middle = np.array([(low[0] + high[0]) / 2, low[1]])
            inside = bounds.y0 <= middle[1]
        if inside and _on(person, middle, bounds):
            found.append(TourStop(name, label, _box(middle - half, middle + half, bounds)))
    return tuple(stop for stop in found if not stop.area.empty)


def _box(low: np.ndarray, high: np.ndarray, bounds: Rect) -> Rect:
    middle, half = (low + high) / 2, _ROOM * (high - low) / 2
    (x0, y0), (x1, y1) = np.floor(middle - half).astype(int), np.ceil(middle + half).astype(int)
    return Rect(int(x0), int(y0), int(x1), int(y1)).intersect(bounds)


def _on(person: Mask | None, place: np.ndarray, bounds: Rect) -> bool:
    if person is None:
        return True
    x = int(place[0] / bounds.width * person.shape[1])
    y = int(place[1] / bounds.height * person.shape[0])
    return bool(person[np.clip(y, 0, person.shape[0] - 1), np.clip(x, 0, person.shape[1] - 1)] > _OF_PERSON)


def _nine(bounds: Rect) -> tuple[TourStop, ...]:
    rows, columns = ("top", "middle", "bottom"), ("left", "middle", "right")
    return tuple(
        TourStop(f"part_{r}_{c}", f"{row}, {column}", Rect(
            bounds.width * c // 3, bounds.height * r // 3, bounds.width * (c + 1) // 3, bounds.height * (r + 1) // 3))
        for r, row in enumerate(rows) for c, column in enumerate(columns)
    )
