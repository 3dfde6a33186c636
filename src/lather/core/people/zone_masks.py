"""Soft masks of zones over the photo, drawn to its own pixels: where skin, lips, teeth, hair, cloth, the ground … are.

They are the parts of the reading (`people.reading`), of everybody on the photo; parts of the skin are told by the face
maps, which the person may have dragged.
"""

import threading
from dataclasses import dataclass, field, replace

import numpy as np

from lather.core.brush.outline import polygon_coverage
from lather.core.engine.photo import Photo
from lather.core.face.zones import FaceZones
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import OVAL
from lather.core.job.part_strokes import PartStroke
from lather.core.people.reading import People, people_for
from lather.core.recent import Recent
from lather.core.types import Mask, Rect

_SMALL = {
    "lips": ("lips",), "teeth": ("teeth",), "eye_whites": tuple(f"eye white, {side}" for side in SIDES),
    "irises": tuple(f"iris, {side}" for side in SIDES),
}
_EYES = (*_SMALL["eye_whites"], *_SMALL["irises"])
_OF_READING = ("skin", "hair", "cloth", "ground", "person", "brows")
_FACES_KEPT = 8
_EAR_OUT, _NECK_DOWN, _SOFT = 2.1, 1.8, 0.2  # eye distances
_OVAL_WIDER = 1.02


@dataclass(eq=False)
class ZoneMasks:
    """Of one photo; worked out when they are first asked for. part_strokes: what the person corrected."""

    photo: Photo
    part_strokes: tuple[PartStroke, ...] = ()
    _faces: Recent = field(default_factory=lambda: Recent(_FACES_KEPT))
    _lock: threading.RLock = field(default_factory=threading.RLock)

    def corrected(self, part_strokes: tuple[PartStroke, ...]) -> "ZoneMasks":
        """The same, as a job corrects the parts."""
        return self if part_strokes == self.part_strokes else replace(self, part_strokes=part_strokes)

    @property
    def digest(self) -> bytes:
        """Names what was corrected; empty for nothing."""
        return repr(self.part_strokes).encode() if self.part_strokes else b""

    def people(self, faces: tuple[FaceMap, ...]) -> People:
        """The reading of the photo, as the job has it."""
        return people_for(self.photo, faces, self.part_strokes)

    def labels(self, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> np.ndarray:
        """Number in `people.parsing.PARTS` of what each pixel of a rectangle of a level is: uint8 (h, w)."""
        return self.people(faces).label_map(rect, level)

    def mask(self, zone: str, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Share 0-1 of a zone of `stages.adjust.zones` over a rectangle of a level: float32 (h, w), a new array.

        Zones of the face are empty where there is none; a closed eye has no white and no iris.
        """
        people = self.people(faces)
        if zone in _OF_READING:
            return people.share(zone, rect, level)
        if zone in _SMALL:
            return self._small(zone, people, faces, rect, level)
        return self._part_of_skin(zone, people, faces, rect, level)

    def _small(self, zone: str, people: People, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Parts of a face, as its own pixels tell them where the reading sees them at all."""
        out = np.zeros((rect.height, rect.width), np.float32)
        for face in faces:
            person = people.person_of(face)
            closed = person.closed if person is not None else ()
            names = [name for name in _SMALL[zone] if not any(name in _EYES and name.endswith(side) for side in closed)]
            np.maximum(out, self._of_faces((face,), tuple(names), rect, level), out=out)
        return out

    def _part_of_skin(self, zone: str, people: People, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Skin of one part of a face; its ears; or (hands) what is neither face nor neck."""
        skin = people.share("skin", rect, level)
        if zone == "face":
            return skin * np.max([np.zeros_like(skin), *(self._oval(face, rect, level) for face in faces)], axis=0)
        if zone not in ("ears", "neck", "hands"):
            return skin * self._of_faces(faces, (zone,), rect, level)
        step = np.float32(1 << level)
        ys, xs = np.mgrid[rect.y0 : rect.y1, rect.x0 : rect.x1].astype(np.float32) + np.float32(0.5)
        out, heads = np.zeros_like(skin), np.zeros_like(skin)
        for face in faces:
            u, v = face.in_frame(xs * step, ys * step)
            wide = face.width_px / max(face.eye_distance_px, 1e-6)
            (chin_u, chin), (_, mouth) = (map(float, face.in_frame(*face.points[n])) for n in ("chin", "mouth_left"))
            off_face = 1 - self._oval(face, rect, level)
            if zone == "ears":
                part = _between(u, -_EAR_OUT, _EAR_OUT) * _between(v, -0.6, mouth + 0.3)
            else:
                part = _between(v, chin - 0.2, chin + _NECK_DOWN) * _between(u, chin_u - wide, chin_u + wide)
            np.maximum(out, part * off_face, out=out)
            head = _between(u, -1.1 * wide, 1.1 * wide) * (1 - _rising(v, chin + 1.1 * wide))
            np.maximum(heads, head, out=heads)
        return skin * (1 - heads if zone == "hands" else out)

    def _oval(self, face: FaceMap, rect: Rect, level: int) -> Mask:
        """The face itself, a little wider than its mesh."""
        if not face.mesh:
            return np.zeros((rect.height, rect.width), np.float32)
        rim = face.mesh_px[list(OVAL)]
        rim = rim.mean(0) + _OVAL_WIDER * (rim - rim.mean(0))
        return polygon_coverage([rim / (1 << level)], rect, 1.0)

    def _zones_of(self, face: FaceMap) -> FaceZones:
        with self._lock:
            held = self._faces.get(face.digest)
            if held is None:
                held = FaceZones(self.photo, face)
                held.labels  # noqa: B018 - worked out under the lock, once
                self._faces.put(face.digest, held)
            return held

    def _of_faces(self, faces: tuple[FaceMap, ...], names: tuple[str, ...], rect: Rect, level: int) -> Mask:
        out = np.zeros((rect.height, rect.width), np.float32)
        for face in faces:
            if face.mesh:
                zones = self._zones_of(face)
                for name in names:
                    if zones.reaches(name, rect, level):
                        np.maximum(out, zones.mask(name, rect, level), out=out)
        return out


def _rising(values: np.ndarray, at: float) -> np.ndarray:
    """0 below a value, 1 above, softly."""
    return np.clip((values - at) / _SOFT + 0.5, 0, 1)


def _between(values: np.ndarray, low: float, high: float) -> np.ndarray:
    return _rising(values, low) * (1 - _rising(values, high))
