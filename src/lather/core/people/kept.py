"""The reading as a job keeps it: parts of the job file, so that masks stay what they were when networks change.

`people/reading.json` says who is there; `people/wide.png` and `people/face-1.png` … hold the shares of all parts, one
under the other, `people/whose.png` the numbers of the persons.
"""

import struct
from collections.abc import Mapping

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.errors import LatherError
from lather.core.imageio.png import encode_png
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.people.heads import Head
from lather.core.people.parsing import PARTS, SIDE
from lather.core.people.reading import People, Person, kept_reading
from lather.core.people.skin import SkinColour
from lather.core.strict_json import MALFORMED, parsed, written
from lather.core.types import Rect

READING = "people/reading.json"
FOLDER = "people/"
_FORM = 1
_NOTHING = 3  # a share of 255 under which it is kept as none
_MOST_SIDE, _MOST_PERSONS = 1100, 120


def members_of(people: People) -> dict[str, bytes]:
    """{name in the job file: bytes} of a reading; put together once."""
    if not people.members:
        people.members = _members(people)
    return people.members


def _members(people: People) -> dict[str, bytes]:
    persons = [_person_json(person) for person in people.persons]
    document = {"form": _FORM, "parts": list(PARTS), "width": people.photo.width, "height": people.photo.height,
                "persons": persons}
    members = {READING: written(document), f"{FOLDER}wide.png": _planes(people.wide.shares),
               f"{FOLDER}whose.png": encode_png(people.whose)}
    for person, sheet in zip(people.persons, people.near):
        if sheet is not None:
            members[f"{FOLDER}face-{person.number}.png"] = _planes(sheet.shares)
    return members


def from_members(photo: Photo, members: Mapping[str, bytes]) -> People | None:
    """The reading that a job keeps of its photo; None where it keeps none, or none that can be read."""
    try:
        document = parsed(members[READING])
        if document["form"] != _FORM or list(document["parts"]) != list(PARTS) or (
                (document["width"], document["height"]) != (photo.width, photo.height)):
            return None
        persons = tuple(_person(one, number) for number, one in enumerate(document["persons"][:_MOST_PERSONS], 1))
        wide = _shares(members[f"{FOLDER}wide.png"])
        whose = _grey(members[f"{FOLDER}whose.png"])
        if whose.shape != wide.shape[:2] or whose.max(initial=0) > len(persons):
            return None
        near = []
        for person in persons:
            data = members.get(f"{FOLDER}face-{person.number}.png")
            shares = _shares(data) if data is not None else None
            near.append(None if shares is None or shares.shape[:2] != (SIDE, SIDE) else shares)
        return kept_reading(photo, persons, wide, near, whose)
    except (*MALFORMED, LatherError, cv2.error, struct.error, IndexError):
        return None


def _planes(shares: np.ndarray) -> bytes:
    """Shares (h, w, parts), one part under the other."""
    planes = np.where(shares < _NOTHING, 0, shares).transpose(2, 0, 1)
    return encode_png(np.ascontiguousarray(planes.reshape(-1, shares.shape[1])))


def _shares(data: bytes) -> np.ndarray:
    planes = _grey(data, len(PARTS))
    height = planes.shape[0] // len(PARTS)
    if planes.shape[0] != height * len(PARTS):
        raise ValueError("The shares are not whole.")
    return np.ascontiguousarray(planes.reshape(len(PARTS), height, -1).transpose(1, 2, 0))


def _grey(data: bytes, times: int = 1) -> np.ndarray:
    """Codes of a grey PNG no larger than the small picture, so many of which lie under each other."""
    width, height = struct.unpack(">II", data[16:24])
    if not (0 < width <= _MOST_SIDE and 0 < height <= times * _MOST_SIDE):
        raise ValueError("The map of parts is larger than any is.")
    codes = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if codes is None or codes.ndim != 2 or codes.dtype != np.uint8:
        raise ValueError("The map of parts is no grey picture.")
    return codes


def _person_json(person: Person) -> dict:
    head = person.head
    return {
        "middle": list(head.middle), "size": head.size, "angle": head.angle, "sure": person.sure,
        "face": head.face.to_json() if head.face is not None else None, "box": list(person.box),
        "skin": [list(person.colour.lab), list(person.colour.spread)] if person.colour is not None else None,
        "oval_skin": person.oval_skin, "closed": list(person.closed),
    }


def _person(data: dict, number: int) -> Person:
    x, y = (float(v) for v in data["middle"])
    face = FaceMap.from_json(data["face"]) if data["face"] is not None else None
    size, angle = float(data["size"]), float(data["angle"])
    if not (np.isfinite([x, y, size, angle]).all() and size > 0):
        raise ValueError("A head has a place and a size.")
    colour = data["skin"] and SkinColour(*(tuple(float(v) for v in values) for values in data["skin"]))
    box = Rect(*(int(v) for v in data["box"]))
    return Person(number, Head((x, y), size, angle, face), box, colour or None,
                  None if data["oval_skin"] is None else float(data["oval_skin"]),
                  tuple(side for side in SIDES if side in data["closed"]), bool(data["sure"]))
