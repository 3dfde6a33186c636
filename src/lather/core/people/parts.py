"""Parts of everybody in a photo: what the parsing network says of each head's views, put together.

Views are cut from the photo at the level that suits them; what is seen nearer counts more. `wide` holds everything at
about 1000 px, `near` each face as it is seen from close by.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.engine.photo import Photo
from lather.core.face.crop import Crop
from lather.core.people import parsing
from lather.core.people.heads import Head
from lather.core.people.parsing import FAR, MIDDLE, NEAR, PARTS, SIDE
from lather.core.people.sheets import Sheet
from lather.core.types import EncodedRGB, Mask, Rect, as_float32

_COUNTS = {NEAR: 8.0, MIDDLE: 3.0, FAR: 1.0}
_RIM = 0.14  # of a view's side, over which it counts less and less
_NOT_MINE = 0.15  # how much a view counts off its own person
_FAR_STEP = 5.0  # head sizes from one far view to the next, down a body
_MOST_FAR = 5
_NEAR_RADIUS, _WIDE_RADIUS = 4, 8
_LEAST_SEEN = 12  # px of a head under which its face is not looked at from close by


@dataclass(frozen=True)
class PersonSeen:
    """head: in source px. mask: that person 0-1 at the size of the small picture; None where the body was not seen."""

    head: Head
    mask: Mask | None


def cut(photo: Photo, crop: Crop, *, own: bool = False) -> EncodedRGB:
    """A square of the photo, crop in source px, in sRGB (own: in the photo's own values)."""
    level = max(0, int(np.floor(np.log2(max(crop.side / crop.out, 1)))))
    step = 1 << level
    reach = 0.75 * crop.side
    x, y = crop.middle
    area = Rect(int(x - reach), int(y - reach), int(x + reach) + 1, int(y + reach) + 1).intersect(photo.bounds)
    if area.empty:
        return np.zeros((crop.out, crop.out, 3), np.float32)
    rect = area.at_level(level).intersect(photo.level_bounds(level))
    values = as_float32(photo.codes(level)[rect.y0 : rect.y1, rect.x0 : rect.x1])
    if not own and not profiles.is_srgb(photo.profile):
        values = profiles.convert(values, photo.profile, profiles.srgb_profile())
    middle = (x / step - rect.x0, y / step - rect.y0)
    return Crop(middle, crop.side / step, crop.angle, crop.out, crop.mirrored).cut(np.ascontiguousarray(values))


def read_parts(photo: Photo, shape: tuple[int, int], guide: EncodedRGB, people: list[PersonSeen], progress=None
               ) -> tuple[Sheet, list[Sheet | None]]:
    """(the whole photo, each person's face) as sheets. shape: (h, w) of the small picture; guide: the
    photo's own colours at that size.

    progress(share): called as it goes on; what it raises ends the reading.
    """
    scale = photo.width / shape[1]
    total = np.zeros((*shape, len(PARTS)), np.float32)
    weights = np.full(shape, 1e-3, np.float32)
    total[..., 0] = 1e-3  # where nobody looked it is ground
    near: list[Sheet | None] = []
    for number, person in enumerate(people):
        others = [one.mask for one in people if one is not person and one.mask is not None]
        rest = np.max(others, axis=0) if others else None
        mine = person.mask
        counts = _NOT_MINE + (1 - _NOT_MINE) * mine if mine is not None else 1.0
        gain, own = None, None
        for across, below in _views(person, scale):
            crop = parsing.view(person.head, across, below)
            picture = cut(photo, crop)
            shapes = parsing.face_shapes(person.head.face, crop)
            if gain is None:
                gain = parsing.gain_for(picture, parsing.face_region(shapes) if shapes is not None else _disc())
            whose = _whose_in(mine, rest, crop, scale)
            found = parsing.run(parsing.channels(picture, gain, whose, shapes))
            count = _window() * np.float32(_COUNTS.get((across, below), _COUNTS[FAR]))
            laid = _laid(np.dstack([found * count[..., None], count]), crop, shape, scale)
            laid *= counts[..., None] if mine is not None else counts
            total += laid[..., :-1]
            weights += laid[..., -1]
            if (across, below) == NEAR:
                own = face_sheet(photo, person.head, _bytes(found))
        near.append(own)
        if progress is not None:
            progress((number + 1) / len(people))
    total /= weights[..., None]
    return wide_sheet(photo, guide, _bytes(total)), near


def wide_sheet(photo: Photo, guide: EncodedRGB, shares: np.ndarray) -> Sheet:
    """Of the whole photo. guide: its own values at the size of the small picture; shares: uint8 (h, w, parts)."""
    scale = photo.width / guide.shape[1]
    whole = np.array([[1 / scale, 0, 0], [0, 1 / scale, 0]])
    return Sheet(whole, shares, guide, np.ones(guide.shape[:2], np.float32), _WIDE_RADIUS)


def face_sheet(photo: Photo, head: Head, shares: np.ndarray) -> Sheet:
    """Of one face from close by. shares: uint8 (SIDE, SIDE, parts)."""
    crop = parsing.view(head, *NEAR)
    guide = cut(photo, crop, own=True)
    return Sheet(crop.to_crop_matrix, shares, guide, _window(), _NEAR_RADIUS)


def _views(person: PersonSeen, scale: float) -> list[tuple[float, float]]:
    """The nearest first; far ones as long as the person goes on."""
    head = person.head
    views = [MIDDLE, FAR]
    if head.size >= _LEAST_SEEN:
        views.insert(0, NEAR)
    if person.mask is not None:
        rows = np.flatnonzero((person.mask > 0.5).any(1))
        lowest = rows[-1] * scale if len(rows) else head.middle[1]
        below = FAR[1] + _FAR_STEP
        while len(views) < _MOST_FAR + 2 and lowest - head.middle[1] > (below - 1.5) * head.size:
            views.append((FAR[0], below))
            below += _FAR_STEP
    return views


def _whose_in(mine: Mask | None, rest: Mask | None, crop: Crop, scale: float) -> np.ndarray | None:
    if mine is None:
        return None
    small = Crop(tuple(v / scale for v in crop.middle), crop.side / scale, crop.angle, crop.out)
    both = np.dstack([mine, mine if rest is None else rest, mine])
    inside = small.cut(both)
    return parsing.other_people(inside[..., 0], inside[..., 1] if rest is not None else np.zeros_like(inside[..., 0]))


def _laid(values: np.ndarray, crop: Crop, shape: tuple[int, int], scale: float) -> np.ndarray:
    """Values (SIDE, SIDE, n) of a view on the small picture; 0 outside. Where it is made smaller, averaged first."""
    shrink = crop.out * scale / crop.side  # px of the view to a px of the picture
    if shrink > 1.5:
        values = cv2.blur(values, (round(shrink),) * 2)
    chunks = [crop.laid(values[..., n : n + 4], (0.0, 0.0), scale, shape) for n in range(0, values.shape[-1], 4)]
    return np.dstack(chunks)


def _bytes(shares: np.ndarray) -> np.ndarray:
    return np.clip(shares * 255 + 0.5, 0, 255).astype(np.uint8)


def _window() -> Mask:
    """1 in the middle of a view, falling to 0 at its rim."""
    at = (np.arange(SIDE, dtype=np.float32) + 0.5) / SIDE
    edge = np.clip(np.minimum(at, 1 - at) / _RIM, 0, 1)
    return np.outer(edge, edge).astype(np.float32)


def _disc() -> Mask:
    """Where a face is in a view of one, told by nothing but the head's place."""
    out = np.zeros((SIDE, SIDE), np.float32)
    cv2.circle(out, (SIDE // 2, SIDE // 2), round(0.35 * SIDE / NEAR[0]), 1.0, -1)
    return out
