"""The zones of a face over its pixels: where lips, eyes, brows, cheeks … are, as soft masks and as outlines."""

from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.face.closer import Close, look_closer
from lather.core.face.colour_parts import filled_polygon
from lather.core.face.eyes import find_eye_parts
from lather.core.face.lips import find_mouth
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import NOSE, NOSTRILS, OVAL, SMALL_ZONES
from lather.core.types import Lab, Mask, Rect

WIDE = ("forehead", "nose", "cheek, left", "cheek, right", "chin", "jaw, left", "jaw, right", "neck")
_PARTS = ("lips", "teeth", "mouth", *(f"{part}, {side}" for side in SIDES for part in ("eye white", "iris")))
NAMES = (*WIDE, *(f"nostril, {side}" for side in SIDES), *(name for name in SMALL_ZONES if name != "lips"), *_PARTS)
"""All zones of a face; each pixel lies in one: of two that overlap, the later one here."""
_SOFT = 0.004  # of the face width, over which an outline fades where no pixels refine it
_LEAST_SHARE, _HARDLY = 0.5, 1e-4
_SKIN_SOFT_PX, _HIGHLIGHT_PX = 2.0, 61
_SKIN_COLOUR, _SKIN_DARK = 14.0, 0.35  # a*b* off; share of L*


@dataclass(eq=False)
class FaceZones:
    """Zones of one face, worked out once at a size that suits it. close: that picture. labels: uint8 (h, w), number in
    NAMES + 1, 0 outside.
    """

    photo: Photo
    face: FaceMap
    _boxes: dict = field(default_factory=dict)

    @cached_property
    def close(self) -> Close:
        """The part of the photo around the face, at a size that suits its parts."""
        mesh = self.face.mesh_px
        (x0, y0), (x1, y1) = mesh.min(0), mesh.max(0)
        return look_closer(self.photo, x0, y0, x1, y1)

    @cached_property
    def _parts(self) -> dict[str, Mask]:
        """Shares 0-1 of what its own pixels tell, on the grid of `close`."""
        mesh, shape = self.close.from_source(self.face.mesh_px), self.close.pixels.shape[:2]
        mouth = find_mouth(self.close.pixels, mesh)
        parts = {name: mouth.crop.laid(mask, (0.0, 0.0), 1.0, shape)
                 for name, mask in (("lips", mouth.lips), ("teeth", mouth.teeth), ("mouth", mouth.mouth))}
        for side in SIDES:
            eye = find_eye_parts(self.close.pixels, mesh, side)
            parts[f"eye white, {side}"] = eye.crop.laid(eye.white, (0.0, 0.0), 1.0, shape)
            parts[f"iris, {side}"] = eye.crop.laid(eye.iris, (0.0, 0.0), 1.0, shape)
        return parts

    @cached_property
    def labels(self) -> np.ndarray:
        """Number of the zone at each pixel of `close`, 0 where there is none, uint8 (h, w)."""
        mesh, shape = self.close.from_source(self.face.mesh_px), self.close.pixels.shape[:2]
        labels = self._wide(shape)
        outlines = [("nose", NOSE), *((f"nostril, {side}", NOSTRILS[side]) for side in SIDES),
                    *((name, outline) for name, outline in SMALL_ZONES.items() if name != "lips")]
        for name, outline in sorted(outlines, key=lambda one: NAMES.index(one[0])):
            places = np.round((mesh[list(outline)] - 0.5) * 16).astype(np.int32)
            cv2.fillPoly(labels, [places], NAMES.index(name) + 1, shift=4)
        for name in _PARTS:
            labels[self._parts[name] > _LEAST_SHARE] = NAMES.index(name) + 1
        return labels

    def _wide(self, shape: tuple[int, int]) -> np.ndarray:
        """Forehead, cheeks, chin, jaw by the oval and the frame of the face; neck beneath it."""
        face = self.face
        ys, xs = np.mgrid[: shape[0], : shape[1]]
        source = self.close.to_source(np.stack([xs, ys], -1) + 0.5)
        u, v = face.in_frame(source[..., 0], source[..., 1])
        marks = {name: tuple(float(n) for n in face.in_frame(*place)) for name, place in face.points.items()}
        nose_u, nose_v = marks["nose_tip"]
        mouth_u = (marks["mouth_left"][0] + marks["mouth_right"][0]) / 2
        mouth_v = (marks["mouth_left"][1] + marks["mouth_right"][1]) / 2
        half = abs(marks["mouth_right"][0] - marks["mouth_left"][0]) / 2
        chin_u, chin_v = marks["chin"]
        middle_u = nose_u + (v - nose_v) / max(mouth_v - nose_v, 1e-3) * (mouth_u - nose_u)
        side = np.where(u < np.where(v < nose_v, nose_u * np.clip(v, 0, None) / max(nose_v, 1e-3), middle_u), 0, 1)
        number = {name: NAMES.index(name) + 1 for name in WIDE}
        labels = np.where(side == 0, number["cheek, left"], number["cheek, right"]).astype(np.uint8)
        jaw_v = mouth_v + 0.35 * (chin_v - mouth_v)
        lower = v > jaw_v
        labels[lower] = np.where(side == 0, number["jaw, left"], number["jaw, right"])[lower]
        labels[(v > mouth_v) & (np.abs(u - (mouth_u + chin_u) / 2) < 0.75 * half)] = number["chin"]
        labels[v < -0.2] = number["forehead"]
        oval = filled_polygon(shape, self.close.from_source(face.mesh_px)[list(OVAL)])
        like = self._like_skin(labels, oval)
        up_to_hair = (v < -0.2) & (v > marks["hairline"][1]) & (np.abs(u) < 0.85) & like
        neck = (oval == 0) & (v > chin_v - 0.1) & (v < chin_v + 0.9) & (np.abs(u - chin_u) < 0.8) & like
        labels[(oval == 0) & ~up_to_hair] = 0
        labels[neck] = number["neck"]
        return labels

    def _like_skin(self, labels: np.ndarray, oval: np.ndarray) -> np.ndarray:
        """True where it is of the cheeks' colour, in light or in shade, and shine within it."""
        lab = srgb_to_lab(cv2.GaussianBlur(self.close.pixels, (0, 0), _SKIN_SOFT_PX))
        cheeks = np.isin(labels, [NAMES.index(f"cheek, {side}") + 1 for side in SIDES]) & (oval > 0)
        if not cheeks.any():
            return np.zeros(oval.shape, bool)
        usual = np.median(lab[cheeks], axis=0)
        off = np.hypot(lab[..., 1] - usual[1], lab[..., 2] - usual[2])
        like = ((off < _SKIN_COLOUR) & (lab[..., 0] > _SKIN_DARK * usual[0])).astype(np.uint8)
        like = cv2.morphologyEx(like, cv2.MORPH_OPEN, np.ones((7, 7), np.uint8))
        return cv2.morphologyEx(like, cv2.MORPH_CLOSE, np.ones((_HIGHLIGHT_PX,) * 2, np.uint8)) > 0  # shine is skin too

    @cached_property
    def close_lab(self) -> Lab:
        """`close` in CIE Lab (D50)."""
        return srgb_to_lab(self.close.pixels)

    def share(self, zone: str) -> Mask:
        """Share 0-1 of a zone of NAMES, on the grid of `close`."""
        own = self._parts.get(zone)
        if own is None:
            own = (self.labels == NAMES.index(zone) + 1).astype(np.float32)
            own = cv2.GaussianBlur(own, (0, 0), max(0.6, _SOFT * self.face.width_px / self.close.scale))
        return own

    def reaches(self, zone: str, rect: Rect, level: int = 0) -> bool:
        """False where a zone has no share in a rectangle of a level."""
        if zone not in self._boxes:
            ys, xs = np.nonzero(self.share(zone) > _HARDLY)
            corners = np.array([(xs.min(), ys.min()), (xs.max() + 1, ys.max() + 1)] if len(ys) else [(0, 0), (0, 0)])
            self._boxes[zone] = self.close.to_source(corners)
        (x0, y0), (x1, y1) = self._boxes[zone]
        step, room = 1 << level, self.close.scale
        return (rect.x0 * step < x1 + room and rect.x1 * step > x0 - room
                and rect.y0 * step < y1 + room and rect.y1 * step > y0 - room)

    def mask(self, zone: str, rect: Rect, level: int = 0) -> Mask:
        """Share 0-1 of a zone of NAMES over a rectangle of a level, float32 (h, w)."""
        return self.laid(self.share(zone), rect, level)

    def laid(self, own: Mask, rect: Rect, level: int = 0) -> Mask:
        """What lies on the grid of `close`, over a rectangle of a level; 0 outside it."""
        return self._read(own, (rect.height, rect.width), (rect.x0, rect.y0), float(1 << level))

    def on_grid(self, zone: str, shape: tuple[int, int], scale: float) -> Mask:
        """Share of a zone over the whole photo, shown at a size (h, w) with so many source px to a pixel."""
        return self._read(self.share(zone), shape, (0, 0), scale)

    def _read(self, own: Mask, shape: tuple[int, int], corner: tuple[int, int], step: float) -> Mask:
        x, y = (np.array(corner) * step - self.close.origin) / self.close.scale
        k = step / self.close.scale
        matrix = np.array([[k, 0, x + 0.5 * k - 0.5], [0, k, y + 0.5 * k - 0.5]])
        return cv2.warpAffine(np.ascontiguousarray(own), matrix, shape[::-1],
                              flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)

    def outlines(self) -> list[tuple[str, np.ndarray]]:
        """(zone, (n, 2) places in source px) of each piece that is large enough to be seen."""
        found = []
        for number in np.unique(self.labels[self.labels > 0]):
            piece = (self.labels == number).astype(np.uint8)
            contours, _ = cv2.findContours(piece, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_TC89_L1)
            found += [(NAMES[number - 1], self.close.to_source(contour[:, 0].astype(float) + 0.5))
                      for contour in contours if len(contour) > 3 and cv2.contourArea(contour) > 12]
        return found
