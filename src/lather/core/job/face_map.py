"""The face map: named places on a face, from which zones, sizes and the axis of symmetry follow. Values only."""

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import cv2
import numpy as np

from lather.core import ranges
from lather.core.errors import RequestError
from lather.core.job.face_mesh import EYE_CORNERS, OVAL, SMALL_ZONES
from lather.core.job.face_mesh import POINTS as MESH_POINTS
from lather.core.job.unknown_fields import kept
from lather.core.phrases import phrase

POINTS = {
    "eye_left": "eye, left",
    "eye_right": "eye, right",
    "nose_tip": "tip of the nose",
    "mouth_left": "mouth, left",
    "mouth_right": "mouth, right",
    "chin": "chin",
    "jaw_left": "jaw, left",
    "jaw_right": "jaw, right",
    "hairline": "hairline",
}
"""The points of a face map and their labels; left and right as seen in the picture."""

SIDES = ("left", "right")
_COMES_ALONG = 0.22  # of the distance between the eyes: how far around a dragged point the mesh follows
EYE_DISTANCE_MM = 62.0  # grown-ups' usual distance between pupils (Dodgson 2004: mean 63, most 55-70)

# half axes in eye distances of the ellipses around features, and how far each lies above (-) its point
_EYE = (0.34, 0.20)
_UNDER_EYE = (0.34, 0.17, 0.30)
_BROW = (0.40, 0.13, -0.30)


@dataclass(frozen=True)
class FaceMap:
    """`points`: {name of POINTS: (x, y)} in source pixels. `by_person`: points were dragged by hand.

    mesh: the 468 places of `face.topology`, empty where only the points are known. irises: {left, right: (x, y,
    radius)}. other_points: points by names that this version does not know, as they were read.
    """

    points: Mapping[str, tuple[float, float]]
    by_person: bool = False
    mesh: tuple[tuple[float, float], ...] = ()
    irises: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)
    other_points: Mapping[str, object] = field(default_factory=dict)
    extra: dict = field(default_factory=dict)

    @cached_property
    def digest(self) -> bytes:
        """Hash of where it lies."""
        return hashlib.blake2b(repr((sorted(self.points.items()), self.mesh)).encode(), digest_size=16).digest()

    @cached_property
    def eye_distance_px(self) -> float:
        """Between the middles of the eyes."""
        return float(np.hypot(*(self._at("eye_right") - self._at("eye_left"))))

    @property
    def width_px(self) -> float:
        """Jaw to jaw."""
        return float(np.hypot(*(self._at("jaw_right") - self._at("jaw_left"))))

    @property
    def pixels_per_mm(self) -> float:
        """By a usual distance between the eyes."""
        return self.eye_distance_px / EYE_DISTANCE_MM

    def _at(self, name: str) -> np.ndarray:
        return np.array(self.points[name], float)

    @cached_property
    def frame(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(origin between the eyes, unit vector to the right eye, unit vector down the face)."""
        left, right = self._at("eye_left"), self._at("eye_right")
        across = (right - left) / max(self.eye_distance_px, 1e-6)
        down = np.array([-across[1], across[0]])
        return (left + right) / 2, across, down

    def eye_middle(self, side: str) -> np.ndarray:
        """As high as the iris, half-way between the corners of the eye: eyes that look aside have their lids where they
        always are. Where there is no mesh: the iris.
        """
        iris = self._at(f"eye_{side}")
        if not self.mesh:
            return iris
        _, across, _ = self.frame
        middle = self.mesh_px[list(EYE_CORNERS[side])].mean(0)
        return iris + ((middle - iris) @ across) * across

    @property
    def axis(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """The axis of symmetry: from between the eyes to the chin."""
        origin, _, _ = self.frame
        x, y = self._at("chin")
        return (float(origin[0]), float(origin[1])), (float(x), float(y))

    def in_frame(self, x, y) -> tuple[np.ndarray, np.ndarray]:
        """Places in eye distances: across from the middle of the eyes, and down the face."""
        origin, across, down = self.frame
        dx, dy = np.asarray(x, float) - origin[0], np.asarray(y, float) - origin[1]
        d = max(self.eye_distance_px, 1e-6)
        return (dx * across[0] + dy * across[1]) / d, (dx * down[0] + dy * down[1]) / d

    def moved(self, name: str, x: float, y: float) -> "FaceMap":
        """With a point dragged to a place: the mesh around it comes along, less and less further away."""
        at = self._at(name)
        way = np.array([x, y], float) - at
        reach = _COMES_ALONG * self.eye_distance_px

        def along(places) -> np.ndarray:
            places = np.array(places, float)
            share = np.exp(-0.5 * ((places - at) ** 2).sum(-1) / reach**2)
            return places + share[..., None] * way

        mesh = tuple((float(a), float(b)) for a, b in along(self.mesh)) if self.mesh else ()
        irises = {}
        for side, (a, b, r) in self.irises.items():
            x_now, y_now = along((a, b))
            irises[side] = (float(x_now), float(y_now), r)
        points = dict(self.points) | {name: (float(x), float(y))}
        return replace(self, points=points, mesh=mesh, irises=irises, by_person=True)

    @cached_property
    def mesh_px(self) -> np.ndarray:
        """The mesh as (468, 2)."""
        return np.array(self.mesh, float).reshape(-1, 2)

    @cached_property
    def _outlines(self) -> list[tuple[str, np.ndarray]]:
        return [(name, self.mesh_px[list(indexes)].astype(np.float32)) for name, indexes in SMALL_ZONES.items()]

    def holds(self, x: float, y: float) -> bool:
        """True inside the face's oval (where there is no mesh: near its middle)."""
        if not self.mesh:
            u, v = (float(n) for n in self.in_frame(x, y))
            return (u / 1.1) ** 2 + ((v - 0.4) / 1.7) ** 2 < 1
        oval = self.mesh_px[list(OVAL)].astype(np.float32)
        return cv2.pointPolygonTest(oval, (float(x), float(y)), False) >= 0

    def zone_at(self, x: float, y: float) -> str:
        """Name of the zone a place lies in; "" outside the face and neck."""
        if self.mesh:
            for name, outline in self._outlines:
                if cv2.pointPolygonTest(outline, (float(x), float(y)), False) >= 0:
                    return name
        u, v = (float(n) for n in self.in_frame(x, y))
        marks = {name: tuple(float(n) for n in self.in_frame(*self.points[name])) for name in self.points}
        for side in ("left", "right"):
            eu, ev = marks[f"eye_{side}"]
            for label, (a, b, *off) in (("eye", _EYE), ("under-eye", _UNDER_EYE), ("brow", _BROW)):
                if ((u - eu) / a) ** 2 + ((v - ev - (off[0] if off else 0)) / b) ** 2 < 1:
                    return f"{label}, {side}"
        mouth_v = (marks["mouth_left"][1] + marks["mouth_right"][1]) / 2
        mouth_u = (marks["mouth_left"][0] + marks["mouth_right"][0]) / 2
        half = abs(marks["mouth_right"][0] - marks["mouth_left"][0]) / 2
        if ((u - mouth_u) / (1.08 * half + 1e-6)) ** 2 + ((v - mouth_v) / 0.22) ** 2 < 1:
            return "lips"
        return self._wide_zone(u, v, marks, mouth_u, mouth_v)

    @staticmethod
    def _wide_zone(u: float, v: float, marks: dict, mouth_u: float, mouth_v: float) -> str:
        chin_u, chin_v = marks["chin"]
        nose_u, nose_v = marks["nose_tip"]
        if v > chin_v:
            return "neck" if abs(u - chin_u) < 1.6 and v < chin_v + 1.6 else ""
        if v < min(marks["hairline"][1], -0.4) - 0.25 or abs(u - (mouth_u + nose_u) / 2) > 1.7:
            return ""
        if v < -0.18:
            return "forehead"
        if v < nose_v + 0.2 and abs(u - nose_u * max(0.0, v) / max(nose_v, 1e-6)) < (0.14 if v < 0.2 else 0.30):
            return "nose"
        if v > mouth_v and abs(u - mouth_u) < 0.6:
            return "chin"
        return "cheek, left" if u < nose_u else "cheek, right"

    def to_json(self) -> dict:
        """Plain values, rounded to a tenth of a pixel."""
        return self.extra | {
            "points": {k: [round(x, 1), round(y, 1)] for k, (x, y) in self.points.items()} | dict(self.other_points),
            "by_person": self.by_person,
        } | ({"mesh": [[round(x, 1), round(y, 1)] for x, y in self.mesh]} if self.mesh else {}) | (
            {"irises": {side: [round(v, 1) for v in iris] for side, iris in self.irises.items()}} if self.irises else {}
        )

    @classmethod
    def from_json(cls, data: dict) -> "FaceMap":
        """Raises RequestError, KeyError, TypeError or ValueError for what cannot be a face map."""
        points = {name: (float(data["points"][name][0]), float(data["points"][name][1])) for name in POINTS}
        mesh = tuple((float(x), float(y)) for x, y in data.get("mesh", ()))
        if len(mesh) not in (0, MESH_POINTS):
            raise RequestError(phrase("A face mesh of %1 points is none; it has %2.", len(mesh), MESH_POINTS))
        seen = data.get("irises", {})
        if any(len(seen[side]) != 3 for side in SIDES if side in seen):
            raise RequestError("An iris has a place and a radius.")
        irises = {side: (float(seen[side][0]), float(seen[side][1]), float(seen[side][2]))
                  for side in SIDES if side in seen}
        face = cls(points, bool(data.get("by_person", False)), mesh, irises, kept(data["points"], *POINTS),
                   kept(data, "points", "by_person", "mesh", "irises"))
        ranges.check_places(np.array([*points.values(), *mesh, *(iris[:2] for iris in irises.values())]),
                            "A point of the face")
        for iris in irises.values():
            ranges.FIND_SIZE_PX.check(iris[2], "An iris")
        ranges.EYE_DISTANCE_PX.check(face.eye_distance_px, "A distance between the eyes")
        return face
