"""Lines that belong to the person and are never mended away: jaw, nose wings, nostrils, lips, lids, folds; and where
skin meets hair, cloth, the ground or somebody else.

Those of the face follow the face map and are moved to the edge that is really there: of all places near by, the path
with the strongest gradient across it that bends least (dynamic programming, Amini et al. 1990). The others are the
borders between parts.
"""

import threading
import weakref
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from lather.core.engine.photo import Photo
from lather.core.face.crop import Crop
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import EYES, LIPS_INNER, LIPS_OUTER, NOSTRILS, OVAL
from lather.core.people.heads import Head
from lather.core.people.parsing import PARTS
from lather.core.people.parts import cut
from lather.core.people.reading import People, Person, read_already

_FROM_EAR, _TO_EAR = 454, 234
JAW = tuple(OVAL[OVAL.index(_FROM_EAR) : OVAL.index(_TO_EAR) + 1])
WINGS = {"left": (126, 142, 129, 98, 97), "right": (355, 371, 358, 327, 326)}
FOLDS = {"left": (129, 203, 206, 216, 212, 202), "right": (358, 423, 426, 436, 432, 422)}
LABELS = {
    "jaw": "jaw", "wing": "nose wing", "nostril": "nostril", "lips": "edge of the lips", "lid": "edge of a lid",
    "fold": "fold beside nose and mouth", "hairline": "hairline", "clothes": "edge of clothes",
    "limb": "edge of the body", "person": "edge of another person", "feature": "brow",
}
"""Kinds of contours, and what they are called."""
FAR = 6.0
"""Widths from a contour beyond which nothing is told."""
_WIDTH, _LEAST_WIDTH_PX = 0.007, 3.0  # of a head's size, to each side; nobody knows better where a contour is
_REACH = {"jaw": 0.045, "wing": 0.03, "nostril": 0.02, "lips": 0.02, "lid": 0.02, "fold": 0.04}  # of a head's size
_STEP = 0.012  # of a head's size, along a path
_BENDS = 0.35  # how much a step aside costs, of the strongest gradient
_SIDE = 512  # px of the square that edges are looked for in
_ACROSS = 2.0  # head sizes that it spans
_LEAST_PX = 6
_AGAINST = {"hair": "hairline", "beard": "hairline", "cloth": "clothes", "ground": "limb", "brows": "feature"}


@dataclass(frozen=True, eq=False)
class Contour:
    """what: a kind of LABELS. person: number. points: (n, 2) source px, evenly spaced. width_px: to each side of it.
    head_px: size of that person's head.
    """

    what: str
    person: int
    points: np.ndarray
    width_px: float
    head_px: float


_held: "weakref.WeakKeyDictionary[People, Contours]" = weakref.WeakKeyDictionary()
_lock = threading.Lock()


class Contours:
    """All contours of a photo, and how far places are from them."""

    def __init__(self, contours: tuple["Contour", ...]):
        self.all = contours
        self._trees: dict[frozenset[str] | None, tuple[scipy.spatial.cKDTree, np.ndarray] | None] = {}

    @classmethod
    def of(cls, people: People) -> "Contours":
        """Of everybody; drawn once for each reading."""
        with _lock:
            if people not in _held:
                _held[people] = cls(contours_of(people))
            return _held[people]

    def off(self, places: np.ndarray, *kinds: str) -> np.ndarray:
        """(n,) how far places (n, 2) in source px are from the nearest contour of some kinds, without kinds of any but
        folds; in its own widths, most FAR."""
        return self._nearest(places, kinds)[0]

    def along(self, path: np.ndarray, *kinds: str) -> float:
        """Share (0-1) of a path (n, 2) in source px, by its length, that lies within the width of a contour."""
        path = np.asarray(path, float)
        steps = np.hypot(*np.diff(path, axis=0).T)
        return float((self.off(_evenly(path, max(steps.sum() / 60, 1.0)), *kinds) <= 1).mean())

    def nearest(self, x: float, y: float, *kinds: str) -> tuple[float, str]:
        """(distance in widths, kind) of the contour nearest to a place in source px; (FAR, "") where none is near."""
        off, number = (values[0] for values in self._nearest(np.array([[x, y]], float), kinds))
        return float(off), self.all[number].what if number >= 0 else ""

    def _nearest(self, places: np.ndarray, kinds: tuple[str, ...]) -> tuple[np.ndarray, np.ndarray]:
        wanted = frozenset(kinds) or None
        if wanted not in self._trees:
            chosen = [(n, c) for n, c in enumerate(self.all)
                      if (c.what in wanted if wanted is not None else c.what not in ("fold", "feature"))]
            points = [_evenly(c.points, max(0.5 * c.width_px, 0.7)) for _, c in chosen]
            numbers = np.concatenate([np.full(len(p), n) for p, (n, _) in zip(points, chosen)]) if chosen else None
            self._trees[wanted] = (scipy.spatial.cKDTree(np.concatenate(points)), numbers) if chosen else None
        held = self._trees[wanted]
        if held is None or not len(places):
            return np.full(len(places), FAR), np.full(len(places), -1)
        distance, index = held[0].query(np.asarray(places, float))
        numbers = held[1][index]
        off = distance / np.array([self.all[n].width_px for n in numbers])
        return np.minimum(off, FAR), np.where(off < FAR, numbers, -1)


def contours_read(photo: Photo) -> tuple[Contour, ...]:
    """All contours of a photo that was read already; none of one that was not: nobody waits for it here."""
    people = read_already(photo)
    return Contours.of(people).all if people is not None else ()


def contours_of(people: People) -> tuple[Contour, ...]:
    """All contours of everybody, of the face first."""
    found: list[Contour] = []
    for person in people.persons:
        if person.face is not None and person.face.mesh:
            found += _of_face(people, person, person.face)
    return (*found, *_borders(people))


def _of_face(people: People, person: Person, face: FaceMap) -> list[Contour]:
    head = Head.of_face(face)
    square = _Square(people, head)
    mesh, found = face.mesh_px, []
    paths = [("jaw", JAW, False), ("lips", LIPS_OUTER, True), ("lips", LIPS_INNER, True)]
    for side in SIDES:
        paths += [("wing", WINGS[side], False), ("nostril", NOSTRILS[side], True), ("lid", EYES[side], True),
                  ("fold", FOLDS[side], False)]
    for what, indexes, closed in paths:
        points = mesh[list(indexes)]
        if closed:
            points = np.vstack([points, points[:1]])
        points = _evenly(points, _STEP * head.size)
        if len(points) >= 3:
            moved = square.snapped(points, _REACH[what] * head.size)
            found.append(Contour(what, person.number, moved, _width(head), head.size))
    return found


class _Square:
    """The face, and how steep its light and colour are at each pixel."""

    def __init__(self, people: People, head: Head):
        self.crop = Crop(head.middle, _ACROSS * head.size, head.angle, _SIDE)
        picture = cv2.GaussianBlur(cut(people.photo, self.crop), (0, 0), 1.6)
        lab = cv2.cvtColor(np.ascontiguousarray(np.clip(picture, 0, 1)), cv2.COLOR_RGB2Lab)
        self._gx, self._gy = (cv2.Sobel(lab, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))

    def snapped(self, points: np.ndarray, reach: float) -> np.ndarray:
        """Points (n, 2) in source px, moved across the path to the best edge within a reach."""
        places = self.crop.to_crop(points)
        most = max(1, round(reach * _SIDE / self.crop.side))
        along = np.gradient(places, axis=0)
        along /= np.maximum(np.hypot(*along.T), 1e-6)[:, None]
        across = np.column_stack([-along[:, 1], along[:, 0]])
        offsets = np.arange(-most, most + 1)
        at = (places[:, None] + offsets[None, :, None] * across[:, None] - 0.5).astype(np.float32)
        gx, gy = (cv2.remap(g, at[..., 0].copy(), at[..., 1].copy(), cv2.INTER_LINEAR) for g in (self._gx, self._gy))
        steep = gx * across[:, None, None, 0].astype(np.float32) + gy * across[:, None, None, 1].astype(np.float32)
        strength = np.sqrt(np.einsum("...i,...i->...", steep, steep))
        strength /= max(float(np.percentile(strength, 98)), 0.5)
        strength -= 0.3 * (np.abs(offsets) / most)[None]  # where two are alike, the nearer
        return self.crop.to_picture(places + offsets[_best_path(strength)][:, None] * across)


def _width(head: Head) -> float:
    return max(_WIDTH * head.size, _LEAST_WIDTH_PX)


def _best_path(strength: np.ndarray) -> np.ndarray:
    """Column of each row (n,) of the way through (n, k) that gathers most and steps aside least."""
    rows, columns = strength.shape
    best, came = strength[0].copy(), np.zeros((rows, columns), int)
    steps = _BENDS * np.abs(np.arange(columns)[:, None] - np.arange(columns)[None])
    for row in range(1, rows):
        through = best[None] - steps
        came[row] = through.argmax(1)
        best = through.max(1) + strength[row]
    path = [int(best.argmax())]
    for row in range(rows - 1, 0, -1):
        path.append(int(came[row, path[-1]]))
    return np.array(path[::-1])


def _borders(people: People) -> list[Contour]:
    """Where skin of a person meets something else, and where two people meet."""
    labels, whose, scale = people.labels, people.whose, people.scale
    skin_number = PARTS.index("skin")
    found: list[Contour] = []
    for person in people.persons:
        skin = ((labels == skin_number) & (whose == person.number)).astype(np.uint8)
        if not skin.any():
            continue
        rings, _ = cv2.findContours(skin, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        for ring in rings:
            if len(ring) >= 2 * _LEAST_PX:
                found += _pieces(ring[:, 0], skin, labels, whose, person, scale)
    return found


def _pieces(ring: np.ndarray, skin, labels, whose, person: Person, scale: float) -> list[Contour]:
    """A ring around skin (n, 2), cut where what lies beyond changes."""
    smooth = cv2.blur(np.vstack([ring[-3:], ring, ring[:3]]).astype(np.float32), (1, 5))[3:-3]
    along = np.roll(smooth, -2, axis=0) - np.roll(smooth, 2, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-6)[:, None]
    out = np.column_stack([along[:, 1], -along[:, 0]])
    height, width = labels.shape
    inside = _at(skin, ring + np.round(2 * out), width, height) > 0
    out[inside] *= -1
    beyond = np.round(ring + 2.5 * out).astype(int)
    names = _at(labels, beyond, width, height)
    theirs = _at(whose, beyond, width, height)
    framed = (beyond < 1).any(1) | (beyond[:, 0] >= width - 1) | (beyond[:, 1] >= height - 1)
    kinds = [("" if edge else "person" if mine and mine != person.number else _AGAINST.get(PARTS[name], ""))
             for name, mine, edge in zip(names, theirs, framed)]
    found, start = [], 0
    for n in range(1, len(kinds) + 1):
        if n == len(kinds) or kinds[n] != kinds[start]:
            if kinds[start] and n - start >= _LEAST_PX:
                points = (smooth[start:n].astype(float) + 0.5 + 0.5 * out[start:n]) * scale
                found.append(Contour(kinds[start], person.number, _evenly(points, 2 * scale),
                                     max(_width(person.head), scale), person.head.size))
            start = n
    return found


def _at(values: np.ndarray, places: np.ndarray, width: int, height: int) -> np.ndarray:
    columns, rows = np.clip(places[:, 0], 0, width - 1).astype(int), np.clip(places[:, 1], 0, height - 1).astype(int)
    return values[rows, columns]


def _evenly(points: np.ndarray, step: float) -> np.ndarray:
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.arange(0, lengths[-1] + step / 2, max(step, 1e-3))
    return np.column_stack([np.interp(at, lengths, points[:, n]) for n in (0, 1)])
