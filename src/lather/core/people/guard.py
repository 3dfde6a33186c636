"""What of people stays as it is under tools that are for skin: lips, lids, eyes, nostrils, brows, hair, what is behind
them, and the marks that are kept. A stroke gets it as the fence it works inside of, so that a job says itself what was
left out, and no reading is needed to render it.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import reduce

import cv2
import numpy as np

from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import LIDS, NOSTRILS
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.people.contours import Contours
from lather.core.people.reading import People
from lather.core.people.zone_masks import ZoneMasks
from lather.core.types import Rect

OWN_PARTS = ("teeth", "eye_whites", "irises", "lips", "brows")
"""Zones that have tools of their own (Whiten, Iris, Crisp)."""
_PARTS = ("features", "hair", "ground")
_EDGES = ("jaw", "wing")
_FACE_SEEN_PX = 450  # width of a face in the mask, at the least where the photo has as many
_CLOSED = 0.5  # share from which a place is closed
_SOFT, _LEAST_SOFT_PX = 0.008, 1.5  # of a face's width, over which a stroke fades beside what is left out
_ROOM = 0.006  # of a face's width, around lips, eyes, brows and nostrils: nobody tells their borders to the pixel
_LEAST_PX = 6  # of a part in the mask: less of it is noise of the reading
_KEEPER_TIMES, _KEEPER_MORE_PX = 1.2, 2.0  # room around a mark that is kept
_ROOM_PX = 3  # around a stroke


@dataclass(frozen=True, eq=False)
class Guard:
    """closed: (h, w) uint8, number of the piece that a place belongs to, 0 where skin tools may work (255: the last of
    many). edges: (h, w) uint8, 1 along the jaw and the wings of a nose, which what smooths must not cross. step: photo
    px to one of both. feather_px: of the fences. photo: its rectangle. parts: the fences of those of OWN_PARTS that are
    seen, for tools that are meant for one.
    """

    closed: np.ndarray
    edges: np.ndarray
    step: int
    feather_px: float
    photo: Rect
    parts: Mapping[str, Fence] = field(default_factory=dict)

    @classmethod
    def of(cls, people: People, faces: tuple[FaceMap, ...], bounds: Rect) -> "Guard | None":
        """Of a photo that was read; None where nobody is on it."""
        if not people.persons:
            return None
        widest = max((face.width_px for face in faces), default=max(person.head.size for person in people.persons))
        level = max(0, int(np.log2(max(1.0, widest / _FACE_SEEN_PX))))
        rect = bounds.at_level(level)
        features, *wide = ((people.share(part, rect, level) > _CLOSED).astype(np.uint8) for part in _PARTS)
        for face in faces:
            if face.mesh:
                for ring in (*LIDS.values(), *(NOSTRILS[side] for side in SIDES)):
                    places = face.mesh_px[list(ring)] / (1 << level) - (rect.x0 + 0.5, rect.y0 + 0.5)
                    cv2.fillPoly(features, [np.round(places * 16).astype(np.int32)], 1, shift=4)
        room = max(1, round(_ROOM * widest / (1 << level)))
        features = cv2.dilate(features, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * room + 1,) * 2))
        closed = cv2.morphologyEx(np.max(wide, axis=0), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)) | features
        _, pieces, stats, _ = cv2.connectedComponentsWithStats(closed, connectivity=8)
        small = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] < _LEAST_PX)
        pieces[np.isin(pieces, small)] = 0
        edges = np.zeros_like(closed)
        for contour in Contours.of(people).all:
            if contour.what in _EDGES:
                places = contour.points / (1 << level) - (rect.x0 + 0.5, rect.y0 + 0.5)
                cv2.polylines(edges, [np.round(places * 16).astype(np.int32)], False, 1,
                              max(1, round(2 * contour.width_px / (1 << level))), shift=4)
        feather = max(_LEAST_SOFT_PX, _SOFT * widest)
        return cls(np.minimum(pieces, 255).astype(np.uint8), edges, 1 << level, feather, bounds)

    def with_parts(self, zones: ZoneMasks, faces: tuple[FaceMap, ...]) -> "Guard":
        """The same, with the fences of the parts that have tools of their own."""
        step, height, width = self.step, *self.closed.shape
        level = int(np.log2(step))
        room = max(1, round(0.5 * self.feather_px / step))
        kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * room + 1,) * 2)
        found = {}
        for part in OWN_PARTS:
            mask = (zones.mask(part, faces, Rect(0, 0, width, height), level) > _CLOSED).astype(np.uint8)
            rings = _rings(cv2.dilate(mask, kernel), step, (0, 0))
            if mask.sum() >= _LEAST_PX and rings:
                found[part] = Fence(tuple(rings), self.feather_px)
        return replace(self, parts=found)

    def only(self, parts: Iterable[str], own: Fence | None = None) -> Fence | None:
        """What a stroke for some parts keeps inside of; `own` as it is where one of them is not seen. own: the fence
        that the person set, inside of which it stays as well.
        """
        names = list(parts)
        if not names or any(name not in self.parts for name in names):
            return own
        parts = [self.parts[name] for name in names]
        if len(parts) == 1 and own is None:
            return parts[0]
        box = reduce(Rect.union, (part.bounds for part in parts)).expand(_ROOM_PX).intersect(self.photo)
        inside = np.max([part.coverage(box) for part in parts], axis=0) > 0  # an iris lies in its eye white
        if own is not None:
            inside &= own.coverage(box) > 0
        return Fence(tuple(_rings(inside.astype(np.uint8), 1, (box.x0, box.y0))), self.feather_px)

    def is_closed(self, x: float, y: float) -> bool:
        """True where a tool for skin lays nothing down."""
        return self._piece(x, y) > 0

    def alike(self, rect: Rect, x: float, y: float) -> np.ndarray:
        """True (h, w) over a rectangle of the photo where it is the same as at a place: skin, or its part."""
        rows, columns = (np.minimum(np.arange(low, high) // self.step, most - 1)
                         for low, high, most in zip((rect.y0, rect.x0), (rect.y1, rect.x1), self.closed.shape))
        return self.closed[rows[:, None], columns] == self._piece(x, y)

    def _piece(self, x: float, y: float) -> int:
        row, column = int(y / self.step), int(x / self.step)
        height, width = self.closed.shape
        return int(self.closed[row, column]) if 0 <= row < height and 0 <= column < width else 0

    def fence(self, within: Rect | None = None, *, from_place: tuple[float, float] | None = None,
              keepers: Iterable[Find] = (), own: Fence | None = None, smooths: bool = False) -> Fence | None:
        """What a stroke keeps inside of; None where nothing is closed.

        within: level-0 rectangle that the stroke reaches, all of the photo without. from_place: where it begins; the
        part it begins on is what it is for. keepers: marks that stay. own: the fence that the person set, inside of
        which it stays as well. smooths: what it lays would wash over an edge.
        """
        around = self.photo if within is None else within
        room = int(np.ceil(self.feather_px)) + _ROOM_PX
        box = around.expand(room)
        rows, columns = (slice(max(0, low // self.step), max(0, -(-high // self.step)))
                         for low, high in ((box.y0, box.y1), (box.x0, box.x1)))
        closed = self.closed[rows, columns]
        if not closed.size:
            return own
        x0, y0 = columns.start * self.step, rows.start * self.step
        begun_on = self._piece(*from_place) if from_place is not None else 0
        mask = ((closed > 0) & (closed != begun_on) if begun_on else closed > 0).astype(np.uint8)
        if smooths:
            mask |= self.edges[rows, columns]
        self._add_keepers(mask, (x0, y0), keepers, from_place)
        if own is not None:
            inside = own.coverage(Rect(x0, y0, x0 + mask.shape[1] * self.step, y0 + mask.shape[0] * self.step))
            inside = cv2.resize(inside, mask.shape[::-1], interpolation=cv2.INTER_AREA)
            mask |= (inside <= 0).astype(np.uint8)
        if not mask.any():
            return own
        mask = cv2.dilate(mask, np.ones((3, 3), np.uint8))  # rings run through the middles of its outermost places
        rings = _rings(mask, self.step, (x0, y0))
        wide = box.expand(room)
        rim = ((wide.x0, wide.y0), (wide.x1, wide.y0), (wide.x1, wide.y1), (wide.x0, wide.y1))
        return Fence((tuple((float(x), float(y)) for x, y in rim), *rings), self.feather_px)

    def _add_keepers(self, mask: np.ndarray, corner: tuple[int, int], keepers: Iterable[Find],
                     from_place: tuple[float, float] | None) -> None:
        for keeper in keepers:
            radius = 0.5 * _KEEPER_TIMES * keeper.size_px + _KEEPER_MORE_PX
            if from_place is not None and np.hypot(keeper.x - from_place[0], keeper.y - from_place[1]) < radius:
                continue  # somebody who begins on it means it
            place = ((np.array([keeper.x, keeper.y]) - corner) / self.step - 0.5) * 16
            cv2.circle(mask, tuple(np.round(place).astype(int).tolist()), max(8, round(16 * radius / self.step)), 1, -1,
                       shift=4)


def _rings(mask: np.ndarray, step: int, corner: tuple[int, int]) -> list[tuple[tuple[float, float], ...]]:
    """Outlines of what is not 0 in a mask, `step` px to one of it, in px of the photo."""
    middle = np.array(corner) + 0.5 * step
    return [tuple((float(x), float(y)) for x, y in ring[:, 0] * step + middle)
            for ring in cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)[0] if len(ring) > 2]
