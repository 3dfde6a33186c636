"""One mask a person: the pose network sees each of them from the face's place, neighbours left out.

Squares of 8, 6 and 4.5 face heights whose middles lie 2.8, 2.0 and 1.4 face heights below the face's own are looked at;
the one where the network is surest that a body is there is kept.
"""

import cv2
import numpy as np

from lather.core.face.crop import Crop
from lather.core.face.networks import run
from lather.core.people.heads import Head
from lather.core.types import EncodedRGB, Mask

_SIDE = 256
_SQUARES = ((8.0, 2.8), (6.0, 2.0), (4.5, 1.4))  # face heights across, and below the face
_HEIGHT = 1.25  # of a face's width
_TURNED = 0.5  # radians: from where on the body is looked for along the face, and not straight below it
_SURE_ENOUGH = 0.98
_LEAST_PRESENCE = 0.4
_PLAINLY, _LEAST_BODY = 0.7, 0.03  # share of person; of the picture's longer side
_NOT_FAR = 2.0  # head sizes that what is nobody's may lie from whose it is taken for
_LEAST_SHARE, _HEAD_OF_BODY = 0.012, 0.45  # of the picture; of the root of a body's area


def person_mask(small: EncodedRGB, head: Head) -> Mask | None:
    """Share 0-1 of one person over the picture, float32 (h, w); None where the network sees no body.

    head: in px of the picture.
    """
    angle = head.angle if abs(head.angle) > _TURNED else 0.0
    down = np.array([-np.sin(angle), np.cos(angle)])
    best, least = None, _LEAST_PRESENCE
    for across, below in _SQUARES:
        height = _HEIGHT * head.size
        x, y = np.array(head.middle) + below * height * down
        crop = Crop((float(x), float(y)), across * height, angle, _SIDE)
        mask, presence = _seen(crop.cut(small))
        if presence > least:
            best, least = (crop, mask), presence
        if presence > _SURE_ENOUGH:
            break
    if best is None:
        return None
    crop, mask = best
    return np.clip(crop.laid(mask, (0.0, 0.0), 1.0, small.shape[:2]), 0, 1)


def _seen(square: EncodedRGB) -> tuple[Mask, float]:
    """(share of the one person (256, 256), probability that somebody is there)."""
    values = {value.size: value.reshape(-1) for value in run("pose_landmark_full", square).values()}
    presence = float(values[1][0])
    if not 0 <= presence <= 1:
        presence = _sigmoid(presence)
    return _sigmoid(values[_SIDE * _SIDE].reshape(_SIDE, _SIDE)).astype(np.float32), presence


def _sigmoid(values):
    return 1 / (1 + np.exp(-np.clip(values, -60, 60)))


def completed(masks: list[Mask | None], anybody: Mask, sizes: list[float]) -> list[Mask | None]:
    """The masks with what is plainly somebody (`anybody`, 0-1) and nobody's: it goes to the nearest person, if a head's
    size or two away. A square ends somewhere, and hair goes on.

    sizes: of each one's head, px.
    """
    known = [mask for mask in masks if mask is not None]
    if not known:
        return masks
    nobodys = np.clip(anybody - np.max(known, axis=0), 0, 1)
    away = np.stack([
        cv2.distanceTransform((mask < 0.5).astype(np.uint8), cv2.DIST_L2, 3) / max(size, 1.0) if mask is not None
        else np.full(anybody.shape, np.inf, np.float32) for mask, size in zip(masks, sizes)])
    nearest, far = away.argmin(0), np.clip(_NOT_FAR - away.min(0), 0, 1)
    return [mask if mask is None else np.maximum(mask, nobodys * far * (nearest == number))
            for number, mask in enumerate(masks)]


def shared_out(masks: list[Mask]) -> np.ndarray:
    """Number of the person that each pixel belongs to, counted from 1; 0 where nobody is: the larger of two wins.

    int32 (h, w), of masks (h, w) of one size.
    """
    if not masks:
        raise ValueError("There is nobody to share the picture out to.")
    stack = np.stack(masks)
    return np.where(stack.max(0) > 0.5, stack.argmax(0) + 1, 0).astype(np.int32)


def bodies_without_heads(person: Mask, known: list[Mask]) -> list[tuple[float, float, float]]:
    """(x, y, size) of heads that are guessed at the top of bodies that touch nobody who is known: backs of heads, px of
    the mask. What touches somebody is taken for a part of theirs.

    person: share of anybody 0-1. known: masks of those who are known.
    """
    anybody = (person > _PLAINLY).astype(np.uint8)
    side = max(3, round(_LEAST_BODY * max(person.shape))) | 1
    anybody = cv2.morphologyEx(anybody, cv2.MORPH_OPEN, np.ones((side, side), np.uint8))
    taken = np.zeros(person.shape, bool)
    if known:
        away = cv2.distanceTransform((np.max(known, axis=0) < 0.5).astype(np.uint8), cv2.DIST_L2, 3)
        taken = away <= side
    count, labels, stats, _ = cv2.connectedComponentsWithStats(anybody)
    found = []
    for number in range(1, count):
        x, y, width, height, area = stats[number]
        if area < _LEAST_SHARE * person.size or taken[labels == number].any():
            continue
        size = float(min(_HEAD_OF_BODY * np.sqrt(area), height))
        top = labels[y : y + max(1, round(size)), x : x + width] == number
        middle = float(x + np.nonzero(top)[1].mean())
        found.append((middle, float(y + 0.6 * size), size))
    return found
