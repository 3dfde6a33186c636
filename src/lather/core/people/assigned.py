"""Whose each pixel is, where people end, and what is skin of each: what networks and colours say, put together."""

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.people import persons as bodies
from lather.core.people.groups import numbers_of
from lather.core.people.parsing import PARTS
from lather.core.people.parts import PersonSeen
from lather.core.people.sheets import Sheet
from lather.core.people.skin import SkinColour, by_their_face, colour_of, told_by_both
from lather.core.types import EncodedRGB, Mask

_FAR_FROM_BODY = 0.8  # head sizes from a person that what nobody has may still be theirs
_CERTAIN, _OWN = 0.01, 0.2  # of the share of ground: what is nearer to nothing or all; weight of the parser's own
_SKIN = numbers_of("skin")


def take_person(shares: np.ndarray, somebody: Mask) -> None:
    """Share of the ground (in shares (h, w, parts), in place) told by the networks of persons as well: they know better
    where a person ends than what a person is made of. somebody: share of anybody 0-1, at that size.
    """
    ground = np.clip(shares[..., 0].astype(np.float32) / 255, _CERTAIN, 1 - _CERTAIN)
    person = np.clip(somebody, _CERTAIN, 1 - _CERTAIN)
    told = 1 / (1 + np.exp(_OWN * np.log(1 / ground - 1) + np.log(person / (1 - person))))
    scaled = shares.astype(np.float32)
    scaled[..., 0] = 0
    # a person where the parser saw none at all: cloth, until colours say skin
    scaled[..., PARTS.index("cloth")][scaled.sum(-1) == 0] = 1
    scaled *= ((1 - told) * 255 / scaled.sum(-1))[..., None]
    scaled[..., 0] = 255 * told
    shares[...] = np.clip(scaled + 0.5, 0, 255)


def whose_each(seen: list[PersonSeen], wide: Sheet, scale: float) -> np.ndarray:
    """Number of the person at each pixel; what is a person and nobody's goes to the nearest."""
    shape = wide.weight.shape
    masks = []
    for one in seen:
        own = one.mask
        if own is None:
            own = np.zeros(shape, np.float32)
            middle = tuple(round(v / scale) for v in one.head.middle)
            cv2.circle(own, middle, max(1, round(0.6 * one.head.size / scale)), 0.8, -1)
        masks.append(own)
    whose = bodies.shared_out(masks)
    person = wide.share(tuple(range(1, len(PARTS)))) > 0.5
    away = [cv2.distanceTransform((whose != n + 1).astype(np.uint8), cv2.DIST_L2, 3) / (one.head.size / scale)
            for n, one in enumerate(seen)]
    nearest = np.argmin(away, axis=0)
    _, pieces = cv2.connectedComponents(person.astype(np.uint8))
    joined = np.isin(pieces, np.unique(pieces[person & (whose > 0)]))  # legs go on where a square ended
    far = (np.min(away, axis=0) > _FAR_FROM_BODY) & ~joined
    return np.where(person & (whose == 0) & ~far, nearest + 1, np.where(person, whose, 0)).astype(np.uint8)


def skin_of_each(wide: Sheet, near: list[Sheet | None], small: EncodedRGB, whose: np.ndarray,
                  seen: list[PersonSeen]) -> list[SkinColour | None]:
    """Skin of each person told anew by the colours of that person's own face, in `wide`; and what they are."""
    skin, scale, lab = wide.share(_SKIN), 1 / float(wide.to_sheet[0, 0]), srgb_to_lab(small)
    features = wide.share(numbers_of("features")) > 0.5
    found = []
    for person, (one, own) in enumerate(zip(seen, near), 1):
        mine = whose == person
        if one.head.face is not None:
            by_colour = by_their_face(small, lab, one.head.face, mine, len(seen) == 1, scale)
            face = np.zeros_like(skin)
            if own is not None:
                face = warped_back(own, own.share(_SKIN) * own.weight, scale, skin.shape) * mine
            told = told_by_both(skin, by_colour, (mine & ~features).astype(np.float32), face)
            _take_skin(wide, told, mine & (np.abs(told - skin) > 0.01))
        found.append(colour_of(lab, wide.share(_SKIN) * mine))
    return found


def _take_skin(wide: Sheet, skin: Mask, where: np.ndarray) -> None:
    """Set the share of skin where it is told anew; the other parts keep their proportions."""
    shares = wide.shares[where].astype(np.float32)
    shares[:, _SKIN] = 0
    shares[:, PARTS.index("hair")] += 2  # what is no skin after all is hair, if the network knew nothing else
    shares *= ((1 - skin[where]) * 255 / np.maximum(shares.sum(1), 1e-3))[:, None]
    shares[:, _SKIN[0]] = 255 * skin[where]
    wide.shares[where] = np.clip(shares + 0.5, 0, 255)


def warped_to(sheet: Sheet, values: np.ndarray, scale: float) -> np.ndarray:
    """Values (h, w) of the whole photo, `scale` source px to a px, on a sheet."""
    back = np.linalg.inv(np.vstack([sheet.to_sheet, [0, 0, 1]]))
    matrix = (np.diag([1 / scale, 1 / scale, 1.0]) @ back)[:2]
    matrix[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    return cv2.warpAffine(values, matrix, sheet.weight.shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                          borderMode=cv2.BORDER_REPLICATE)


def warped_back(sheet: Sheet, values: np.ndarray, scale: float, shape: tuple[int, int]) -> np.ndarray:
    """Values (h, w) of a sheet over the whole photo, `scale` source px to a px; 0 outside it."""
    matrix = (np.vstack([sheet.to_sheet, [0, 0, 1]]) @ np.diag([scale, scale, 1.0]))[:2]
    matrix[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    return cv2.warpAffine(values, matrix, shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
