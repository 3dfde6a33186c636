"""Soft masks of zones over the photo, drawn to its own pixels: where skin, lips, teeth, hair, cloth, the ground … are.

Small zones come from the face (`face.zones`), at the size it is looked at. Wide ones are told at about 1000 px, by the
person mask, the skin and colours, and are drawn to the edges of the photo itself, at whatever level it is read, by the
fast guided filter (He and Sun 2015): their lines are kept coarse, and laid on the pixels where they are asked for.
"""

import threading
from dataclasses import dataclass, field

import cv2
import numpy as np

from lather.core.brush.outline import polygon_coverage
from lather.core.engine.photo import Photo
from lather.core.face.zones import FaceZones
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import OVAL
from lather.core.measure.flushed import flushed_skin
from lather.core.measure.hair import hair_share
from lather.core.measure.person_outline import refined
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.recent import Recent
from lather.core.types import Mask, Rect

_SMALL = {
    "lips": ("lips",), "teeth": ("teeth",), "eye_whites": tuple(f"eye white, {side}" for side in SIDES),
    "irises": tuple(f"iris, {side}" for side in SIDES),
}
_NO_SKIN = (*_SMALL["lips"], *_SMALL["teeth"], *_SMALL["eye_whites"], *_SMALL["irises"], "mouth")
_RADIUS, _EPSILON = 6, 1e-3
_FACES_KEPT = 8
_RIM_PX = 16  # at about 1000
_SLIVER = 7  # px at about 1000: what is narrower is the rim of something else
_LASHES, _BROWS = (2.0, 6.0), (1.5, 5.0)  # L* darker than around: from where it is a hair, and surely one
_EAR_OUT, _NECK_DOWN, _SOFT = 2.1, 1.8, 0.2  # eye distances
_OVAL_WIDER = 1.02
_HAIR_AROUND = 0.05  # of the face's width


@dataclass(eq=False)
class ZoneMasks:
    """Of one photo; worked out when they are first asked for."""

    photo: Photo
    _faces: Recent = field(default_factory=lambda: Recent(_FACES_KEPT))
    _wide: Recent = field(default_factory=lambda: Recent(_FACES_KEPT))
    _lock: threading.RLock = field(default_factory=threading.RLock)

    def mask(self, zone: str, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Share 0-1 of a zone of `stages.adjust.zones` over a rectangle of a level: float32 (h, w), a new array.

        Zones of the face are empty where there is none.
        """
        if zone in _SMALL:
            return self._of_faces(faces, _SMALL[zone], rect, level)
        if zone == "brows":
            return self._brows(faces, rect, level)
        if zone not in ("skin", "hair", "cloth", "ground", "person"):
            return self._part_of_skin(zone, faces, rect, level)
        share = self._on_pixels(zone, faces, rect, level)
        if zone == "skin":
            share *= 1 - np.maximum(self._of_faces(faces, _NO_SKIN, rect, level), self._brows(faces, rect, level))
        return share

    def _part_of_skin(self, zone: str, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Skin of one part of a face; its ears; or (hands) what is neither face nor neck."""
        skin = self.mask("skin", faces, rect, level)
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

    def _brows(self, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        """Dark hair within the brows' and the lids' outlines."""
        out = np.zeros((rect.height, rect.width), np.float32)
        for face in faces:
            if face.mesh:
                np.maximum(out, self._zones_of(face).laid(self._hairs(face), rect, level), out=out)
        return out

    def _hairs(self, face: FaceMap) -> Mask:
        """Share of brow and lash, on the grid that the face is looked at."""
        with self._lock:
            held = self._wide.get(("brows", face.digest))
            if held is None:
                zones = self._zones_of(face)
                light = zones.close_lab[..., 0]
                sigma = max(1.0, _HAIR_AROUND * face.width_px / zones.close.scale)
                darker = cv2.GaussianBlur(light, (0, 0), sigma) - light
                held = np.zeros(light.shape, np.float32)
                for names, (low, high) in (("brow", _BROWS), ("eye", _LASHES)):
                    inside = np.maximum(*(zones.share(f"{names}, {side}") for side in SIDES))
                    np.maximum(held, inside * np.clip((darker - low) / (high - low), 0, 1), out=held)
                held = cv2.GaussianBlur(held, (0, 0), 1.0)
                self._wide.put(("brows", face.digest), held)
            return held

    # wide zones

    def _on_pixels(self, zone: str, faces: tuple[FaceMap, ...], rect: Rect, level: int) -> Mask:
        lines, scale = self._lines(faces)[zone]
        step = (1 << level) / scale
        matrix = np.array([[step, 0, (rect.x0 + 0.5) * step - 0.5], [0, step, (rect.y0 + 0.5) * step - 0.5]])
        lines = cv2.warpAffine(lines, matrix, (rect.width, rect.height), borderMode=cv2.BORDER_REPLICATE,
                               flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        guide = self.photo.read(rect, level).mean(-1, dtype=np.float32)
        return np.clip(lines[..., 0] * guide + lines[..., 1], 0, 1)

    def _lines(self, faces: tuple[FaceMap, ...]) -> dict[str, tuple[np.ndarray, float]]:
        """{zone: (slope and rest (h, w, 2) at about 1000 px, source px per pixel of it)}."""
        with self._lock:
            key = ("wide", *(face.digest for face in faces))
            held = self._wide.get(key)
            if held is None:
                measures = PhotoMeasures(self.photo, max(faces, key=lambda face: face.width_px) if faces else None)
                # The photo's own values guide, as they do where the lines are laid on them.
                guide = cv2.resize(self.photo.read(*_coarse(self.photo)), measures.small.shape[1::-1],
                                   interpolation=cv2.INTER_AREA).mean(-1, dtype=np.float32)
                held = {zone: (_line(guide, share), measures.scale) for zone, share in
                        self._shares(measures, faces).items()}
                self._wide.put(key, held)
            return held

    def _shares(self, measures: PhotoMeasures, faces: tuple[FaceMap, ...]) -> dict[str, Mask]:
        """Wide zones at the size of `measures.small`."""
        person = _with_its_rim(refined(measures.person, measures.small), measures.skin)
        features = np.zeros_like(person)
        for face in faces:
            if face.mesh:
                zones = self._zones_of(face)
                for name in (*_NO_SKIN, *(f"{part}, {side}" for part in ("brow", "eye") for side in SIDES)):
                    np.maximum(features, zones.on_grid(name, person.shape, measures.scale), out=features)
        skin = np.clip(measures.skin, 0, 1) * person
        skin = np.maximum(skin, flushed_skin(measures.small, skin, person, measures.face_width_px / measures.scale))
        rest = np.clip(person - np.maximum(skin, features), 0, 1)
        rest = cv2.morphologyEx(rest, cv2.MORPH_OPEN, np.ones((_SLIVER,) * 2, np.uint8))
        hair = hair_share(measures, rest) * rest
        return {"person": person, "ground": 1 - person, "skin": skin, "hair": hair, "cloth": rest - hair}


def _with_its_rim(person: Mask, skin: Mask) -> Mask:
    """The person, and skin right beside it: the network's mask is coarse, and may miss the rim of a neck or an ear."""
    far = cv2.distanceTransform((person < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    near = np.clip((_RIM_PX - far) / 3, 0, 1)
    return np.maximum(person, np.clip(skin, 0, 1) * near)


def _rising(values: np.ndarray, at: float) -> np.ndarray:
    """0 below a value, 1 above, softly."""
    return np.clip((values - at) / _SOFT + 0.5, 0, 1)


def _between(values: np.ndarray, low: float, high: float) -> np.ndarray:
    return _rising(values, low) * (1 - _rising(values, high))


def _coarse(photo: Photo) -> tuple[Rect, int]:
    level = 0
    while max(photo.level_bounds(level + 1)[2:]) >= 1000:
        level += 1
    return photo.level_bounds(level), level


def _line(guide: Mask, share: Mask) -> np.ndarray:
    """(h, w, 2): what of the guide, and what besides, a share is made of, around each pixel."""
    side = (2 * _RADIUS + 1,) * 2

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.blur(values, side, borderType=cv2.BORDER_REFLECT)

    guide_mean, share_mean = mean(guide), mean(share)
    slope = (mean(guide * share) - guide_mean * share_mean) / (mean(guide * guide) - guide_mean**2 + _EPSILON)
    return np.dstack([mean(slope), mean(share_mean - slope * guide_mean)])
