"""The reading of a photo of people: who is on it, whose each pixel is, and what it is.

Made once per photo, whatever face is in hand, and asked by everybody: finders, zones, gauges, brief and plan.
"""

import threading
import weakref
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property

import cv2
import numpy as np
import scipy

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.photo import Photo
from lather.core.face.find_faces import find_boxes_and_maps
from lather.core.face.person import person_mask as anybody_mask
from lather.core.job.face_map import FaceMap
from lather.core.job.part_strokes import PartStroke
from lather.core.log import timed
from lather.core.people import persons as bodies
from lather.core.people.assigned import skin_of_each, take_person, warped_to, whose_each
from lather.core.people.faces import closed_eyes, oval_skin
from lather.core.people.groups import numbers_of
from lather.core.people.heads import Head
from lather.core.people.parsing import PARTS
from lather.core.people.parts import PersonSeen, face_sheet, read_parts, wide_sheet
from lather.core.people.persons import person_mask
from lather.core.people.sheets import Sheet, covered
from lather.core.people.skin import SkinColour
from lather.core.people.skin_alone import skin_alone
from lather.core.people.small_picture import small_picture
from lather.core.recent import Recent
from lather.core.types import EncodedRGB, Mask, Rect

LITTLE_SKIN = 0.6
"""Share of a face's own oval that is skin, under which the brief tells."""
_CORRECTIONS_KEPT = 3
_NEVER_MINE = 0.3  # how much a face's near view counts where somebody else is


@dataclass(frozen=True)
class Person:
    """number: from 1, the largest head first. head, box: in source px. face: None of a profile or the back of a head.

    colour: of their own skin; None where hardly any is seen. oval_skin: share 0-1 of the face's oval that is skin.
    closed: sides ("left", "right" as seen) whose eye is closed. sure: False of a body whose head was guessed.
    """

    number: int
    head: Head
    box: Rect
    colour: SkinColour | None = None
    oval_skin: float | None = None
    closed: tuple[str, ...] = ()
    sure: bool = True

    @property
    def face(self) -> FaceMap | None:
        """Their face map, None where no face is seen."""
        return self.head.face


@dataclass(eq=False)
class People:
    """wide: parts over the whole photo. near: of each person's face, None where it was not seen from close by.

    whose: number of the person at each pixel of `wide`, 0 where nobody is, uint8. strokes: what was
    corrected. members: as a job keeps it, once that
    was put together (`people.kept`).
    """

    photo: Photo
    persons: tuple[Person, ...]
    wide: Sheet
    near: tuple[Sheet | None, ...]
    whose: np.ndarray
    strokes: tuple[PartStroke, ...] = ()
    members: dict[str, bytes] = field(default_factory=dict)
    _masks: dict[int, Mask] = field(default_factory=dict)
    _corrected: Recent = field(default_factory=lambda: Recent(_CORRECTIONS_KEPT))
    _lock: threading.Lock = field(default_factory=threading.Lock)

    @property
    def faces(self) -> tuple[FaceMap, ...]:
        """Face maps, the largest first."""
        return tuple(person.face for person in self.persons if person.face is not None)

    @property
    def scale(self) -> float:
        """Source px to a px of `wide`."""
        return 1 / float(self.wide.to_sheet[0, 0])

    def share(self, what: str, rect: Rect, level: int = 0, *, of: Iterable[int] = ()) -> Mask:
        """Share 0-1 of a group of GROUPS over a rectangle of a level, drawn to its pixels: float32 (h, w), a new array.

        of: numbers of persons; only what is theirs.
        """
        numbers = numbers_of(what)
        guide = self.photo.read(rect, level)
        out = self.wide.laid(numbers, guide, rect, level)
        for sheet in self.near:
            if sheet is not None and sheet.reaches(rect, level):
                weight = sheet.believed(rect, level)
                out += weight * (sheet.laid(numbers, guide, rect, level) - out)
        for stroke in self.strokes:
            cover = covered(stroke, rect, level)
            if cover is not None:
                out += cover * (np.float32(PARTS.index(stroke.part) in numbers) - out)
        wanted = tuple(of)
        if wanted:
            out *= np.max([self.wide.warped(self.mask_of(number), rect, level) for number in wanted], axis=0)
        return out

    def small(self, what: str) -> Mask:
        """Share 0-1 of a group over the whole photo, at the size of `wide`."""
        return self.wide.share(numbers_of(what))

    def mask_of(self, number: int) -> Mask:
        """Where one person is, 0-1 with soft borders, at the size of `wide`."""
        if number not in self._masks:
            own = (self.whose == number).astype(np.float32)
            self._masks[number] = cv2.GaussianBlur(own, (0, 0), 0.8)
        return self._masks[number]

    def at(self, x: float, y: float) -> tuple[Person | None, str]:
        """(who, which part of PARTS) at a place of the photo."""
        height, width = self.whose.shape
        column, row = int(np.clip(x / self.scale, 0, width - 1)), int(np.clip(y / self.scale, 0, height - 1))
        number = int(self.whose[row, column])
        shares = self.wide.shares[row, column].astype(np.float32)
        for sheet in self.near:
            if sheet is not None:
                u, v = sheet.to_sheet @ (x, y, 1.0)
                if 0 <= u < sheet.weight.shape[1] and 0 <= v < sheet.weight.shape[0]:
                    weight = sheet.weight[int(v), int(u)]
                    shares += weight * (sheet.shares[int(v), int(u)] - shares)
        return (self.persons[number - 1] if number else None), PARTS[int(shares.argmax())]

    def person_of(self, face: FaceMap | None) -> Person | None:
        """Whose face it is."""
        if face is None:
            return None
        x, y = face.frame[0]
        for person in self.persons:
            if person.face is not None and (person.face is face or person.face.holds(x, y)):
                return person
        return None

    @cached_property
    def labels(self) -> np.ndarray:
        """Number in PARTS of what each pixel of `wide` most likely is, uint8; faces as they are seen from close by."""
        height, width = self.whose.shape
        shares = self.wide.shares.astype(np.float32)
        for sheet in self.near:
            if sheet is None:
                continue
            to_wide = np.vstack([sheet.to_sheet, [0, 0, 1]]) @ np.diag([self.scale, self.scale, 1.0])
            matrix = to_wide[:2].copy()
            matrix[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
            flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
            weight = cv2.warpAffine(sheet.weight, matrix, (width, height), flags=flags)
            for number in range(len(PARTS)):
                own = np.ascontiguousarray(sheet.shares[..., number])
                own = cv2.warpAffine(own, matrix, (width, height), flags=flags)
                shares[..., number] += weight * (own - shares[..., number])
        return shares.argmax(-1).astype(np.uint8)

    def corrected(self, strokes: tuple[PartStroke, ...]) -> "People":
        """The reading as the person says it is; the same one each time for the same strokes."""
        if not strokes:
            return self
        with self._lock:
            held = self._corrected.get(strokes)
            if held is None:
                held = self._with(strokes)
                self._corrected.put(strokes, held)
            return held

    def _with(self, strokes: tuple[PartStroke, ...]) -> "People":
        wide, near = self.wide.painted(strokes), tuple(sheet and sheet.painted(strokes) for sheet in self.near)
        whose = self.whose.copy()
        person = wide.share(tuple(range(1, len(PARTS)))) > 0.5
        whose[~person] = 0
        missing = person & (whose == 0)
        if missing.any() and self.persons:
            known = whose if (whose > 0).any() else self.whose
            nearest = scipy.ndimage.distance_transform_edt(known == 0, return_distances=False, return_indices=True)
            whose[missing] = known[tuple(nearest)][missing]
        return People(self.photo, self.persons, wide, near, whose, strokes)

    def label_map(self, rect: Rect, level: int = 0) -> np.ndarray:
        """Number in PARTS of what each pixel of a rectangle of a level is, drawn to the pixels: uint8 (h, w)."""
        guide = self.photo.read(rect, level)
        near = [(sheet, sheet.believed(rect, level)) for sheet in self.near
                if sheet is not None and sheet.reaches(rect, level)]
        best, labels = np.full(guide.shape[:2], -1.0, np.float32), np.zeros(guide.shape[:2], np.uint8)
        there = self.wide.parts_in(rect, level).union(*(sheet.parts_in(rect, level) for sheet, _ in near))
        for number in sorted(there):
            share = self.wide.laid((number,), guide, rect, level)
            for sheet, weight in near:
                share += weight * (sheet.laid((number,), guide, rect, level) - share)
            labels[share > best] = number
            np.maximum(best, share, out=best)
        for stroke in self.strokes:
            cover = covered(stroke, rect, level)
            if cover is not None:
                labels[cover > 0.5] = PARTS.index(stroke.part)
        return labels

    def to_json(self) -> dict:
        """Who is there, for `lather info` and `lather parts`."""
        names = {PARTS[n]: round(float(c) / self.labels.size, 4) for n, c in
                 zip(*np.unique(self.labels, return_counts=True))}
        return {"persons": [self._person_json(person) for person in self.persons], "shares": names}

    def _person_json(self, person: Person) -> dict:
        own = self.whose == person.number
        skin = own & (self.labels == PARTS.index("skin"))
        return {
            "number": person.number,
            "box": [person.box.x0, person.box.y0, person.box.x1, person.box.y1],
            "head_px": round(person.head.size, 1),
            "face": "seen" if person.face is not None else ("profile" if person.sure else "not seen"),
            "skin_lab": [round(v, 1) for v in person.colour.lab] if person.colour is not None else None,
            "skin_share": round(float(skin.sum()) / self.labels.size, 4),
            "oval_skin": None if person.oval_skin is None else round(person.oval_skin, 2),
            "closed_eyes": list(person.closed),
        }


Progress = Callable[[float], None]


@timed("people", lambda people: len(people.persons))
def read_people(photo: Photo, by_hand: tuple[FaceMap, ...] = (), progress: Progress | None = None) -> People:
    """The reading of a photo. by_hand: faces that a person marked, and that may not be found.

    progress(share 0-1): called as it goes on; what it raises ends the reading.
    """
    small = small_picture(photo)
    scale = photo.width / small.shape[1]
    heads = _heads(photo, small, by_hand)
    _tell(progress, 0.2)
    anybody = anybody_mask(small)
    seen = [PersonSeen(head, person_mask(small, replace(_at(head, scale), face=None))) for head in heads]
    sure = [True] * len(seen)
    for x, y, size in bodies.bodies_without_heads(anybody, [one.mask for one in seen if one.mask is not None]):
        head = Head((x * scale, y * scale), size * scale, 0.0)
        seen.append(PersonSeen(head, person_mask(small, _at(head, scale))))
        sure.append(False)
    whole = bodies.completed([one.mask for one in seen], anybody, [one.head.size / scale for one in seen])
    seen = [PersonSeen(one.head, mask) for one, mask in zip(seen, whole)]
    _tell(progress, 0.4)
    guide = own_colours(photo, small.shape)
    later = (lambda share: progress(0.4 + 0.5 * share)) if progress is not None else None
    wide, near = read_parts(photo, small.shape[:2], guide, seen, later)
    if not seen:
        alone = np.clip(255 * skin_alone(small, srgb_to_lab(small)) + 0.5, 0, 255).astype(np.uint8)
        wide.shares[...] = 0
        wide.shares[..., PARTS.index("skin")] = alone
        wide.shares[..., PARTS.index("ground")] = 255 - alone
        return put_together(photo, (), wide, [], np.zeros(small.shape[:2], np.uint8))
    somebody = np.max([anybody, *(one.mask for one in seen if one.mask is not None)], axis=0)
    take_person(wide.shares, somebody)
    for own in near:
        if own is not None:
            take_person(own.shares, warped_to(own, somebody, scale))
    whose = whose_each(seen, wide, scale)
    colours = skin_of_each(wide, near, small, whose, seen)
    people = tuple(
        Person(number, one.head, _box(whose == number, scale, one.head, photo), colours[number - 1],
               oval_skin(one.head.face, own), closed_eyes(one.head.face, own), is_sure)
        for number, (one, own, is_sure) in enumerate(zip(seen, near, sure), 1))
    _tell(progress, 1.0)
    return put_together(photo, people, wide, near, whose)


def put_together(photo: Photo, persons: tuple[Person, ...], wide: Sheet, near: list[Sheet | None], whose: np.ndarray
                 ) -> People:
    """A reading from what was read. A face's own sheet counts little where somebody else is."""
    for person, sheet in zip(persons, near):
        if sheet is not None:
            mine = warped_to(sheet, (whose == person.number).astype(np.float32), photo.width / whose.shape[1])
            sheet.weight = sheet.weight * (_NEVER_MINE + (1 - _NEVER_MINE) * mine)
    return People(photo, persons, wide, tuple(near), whose)


def kept_reading(photo: Photo, persons: tuple[Person, ...], wide: np.ndarray, near: list[np.ndarray | None],
                 whose: np.ndarray) -> People:
    """A reading from shares (uint8) that were kept: of the whole photo, and of each face."""
    sheets = [None if shares is None else face_sheet(photo, one.head, shares) for one, shares in zip(persons, near)]
    return put_together(photo, persons, wide_sheet(photo, own_colours(photo, whose.shape), wide), sheets, whose)


def _tell(progress: Progress | None, share: float) -> None:
    if progress is not None:
        progress(share)


def _heads(photo: Photo, small: EncodedRGB, by_hand: tuple[FaceMap, ...]) -> list[Head]:
    found = [Head.of_face(face) if face is not None else Head.of_box(box)
             for box, face in find_boxes_and_maps(photo, small)]
    for face in by_hand:
        head = Head.of_face(face)
        if all(np.hypot(*np.subtract(head.middle, one.middle)) > 0.5 * min(head.size, one.size) for one in found):
            found.append(head)
    return sorted(found, key=lambda head: -head.size)


def _at(head: Head, scale: float) -> Head:
    return replace(head, middle=(head.middle[0] / scale, head.middle[1] / scale), size=head.size / scale)


def own_colours(photo: Photo, shape: tuple[int, ...]) -> EncodedRGB:
    """The photo's own values at the size of the small picture, as they are where shares are laid on them."""
    level = 0
    while max(photo.level_bounds(level + 1)[2:]) >= max(shape[:2]):
        level += 1
    own = photo.read(photo.level_bounds(level), level)
    return cv2.resize(own, shape[1::-1], interpolation=cv2.INTER_AREA)


def _box(mine: np.ndarray, scale: float, head: Head, photo: Photo) -> Rect:
    if mine.any():
        ys, xs = np.flatnonzero(mine.any(1)), np.flatnonzero(mine.any(0))
        x0, y0, x1, y1 = xs[0] * scale, ys[0] * scale, (xs[-1] + 1) * scale, (ys[-1] + 1) * scale
    else:
        (x, y), half = head.middle, head.size / 2
        x0, y0, x1, y1 = x - half, y - half, x + half, y + half
    return Rect(int(x0), int(y0), int(np.ceil(x1)), int(np.ceil(y1))).intersect(photo.bounds)


_held: "weakref.WeakKeyDictionary[Photo, dict]" = weakref.WeakKeyDictionary()
_lock = threading.Lock()


def _entry(photo: Photo) -> dict:
    with _lock:
        return _held.setdefault(photo, {"lock": threading.Lock(), "read": {}})


def people_of(photo: Photo, by_hand: tuple[FaceMap, ...] = (), progress: Progress | None = None) -> People:
    """The reading of a photo, made when it is first asked for, and kept as long as the photo is."""
    entry, key = _entry(photo), tuple(face.digest for face in by_hand)
    with entry["lock"]:
        if key not in entry["read"]:
            entry["read"][key] = read_people(photo, by_hand, progress)
        return entry["read"][key]


def read_already(photo: Photo) -> People | None:
    """The reading if it was made: nobody waits for it here."""
    return _entry(photo)["read"].get(())


def offer(photo: Photo, people: People) -> None:
    """A reading that was kept, in the place of one that would be made."""
    _entry(photo)["read"][()] = people


def people_for(photo: Photo, faces: tuple[FaceMap, ...] = (), part_strokes: tuple[PartStroke, ...] = ()) -> People:
    """The reading as a job has it: with faces that only the person sees, and parts that they corrected."""
    read = people_of(photo)
    unseen = tuple(face for face in faces if read.person_of(face) is None)
    if unseen:
        read = people_of(photo, unseen)
    return read.corrected(part_strokes)
