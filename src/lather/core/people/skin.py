"""Each person's own skin: what the network says of it, and what the colours of that person's own face say.

The two are asked apart, and their log odds added. How much the colours count goes by how well they know the face they
were fitted to: in hard or mixed light they do not, and the network speaks.
"""

from dataclasses import dataclass, replace

import numpy as np

from lather.core.job.face_map import FaceMap
from lather.core.people.skin_by_face import skin_of_face
from lather.core.types import EncodedRGB, Lab, Mask

_SURE = 0.8
_LEAST = 80  # pixels that a colour is told from
_UNKNOWN, _WELL_KNOWN = 0.6, 0.93  # share of the face that colours know, from where they count more, and as much
_LEAST_COUNT, _UNSEEN = 0.3, 0.6  # how much they count at the least, and what is known of a face that was not seen
_CERTAIN = 0.02  # shares beyond it say no more
_LEAN = 0.4  # log odds: skin that is missed is mended by nobody
_ROOM = 0.6  # head sizes around a person that the colours are grown in


@dataclass(frozen=True)
class SkinColour:
    """lab: usual (median) colour. spread: of each of L*, a*, b*, half of what the middle 68 % span."""

    lab: tuple[float, float, float]
    spread: tuple[float, float, float]


def colour_of(lab: Lab, skin: Mask) -> SkinColour | None:
    """Of one person's skin (shares 0-1); None where there is hardly any."""
    colours = lab[skin > _SURE]
    if len(colours) < _LEAST:
        return None
    low, middle, high = np.percentile(colours, (16, 50, 84), axis=0)
    return SkinColour(tuple(map(float, middle)), tuple(map(float, (high - low) / 2)))


def by_their_face(small: EncodedRGB, lab: Lab, face: FaceMap, mine: np.ndarray, alone: bool, scale: float) -> Mask:
    """Skin 0-1 over the small picture by the colours of one face. mine: True where that person is; alone: nobody else
    is there, and the whole picture may be looked at. scale: source px to a px of the small picture.
    """
    if alone or not mine.any():
        return skin_of_face(small, lab, face, scale)
    height, width = mine.shape
    room = int(_ROOM * face.width_px / scale)
    ys, xs = np.flatnonzero(mine.any(1)), np.flatnonzero(mine.any(0))
    x0, y0 = max(0, int(xs[0]) - room), max(0, int(ys[0]) - room)
    own = np.s_[y0 : min(height, int(ys[-1]) + room), x0 : min(width, int(xs[-1]) + room)]
    out = np.zeros(mine.shape, np.float32)
    out[own] = skin_of_face(np.ascontiguousarray(small[own]), np.ascontiguousarray(lab[own]),
                            _moved(face, x0 * scale, y0 * scale), scale)
    return out


def _moved(face: FaceMap, dx: float, dy: float) -> FaceMap:
    """Where the face lies in a picture that begins further right and down."""
    return replace(face, points={name: (x - dx, y - dy) for name, (x, y) in face.points.items()},
                   mesh=tuple((x - dx, y - dy) for x, y in face.mesh),
                   irises={side: (x - dx, y - dy, radius) for side, (x, y, radius) in face.irises.items()})


def told_by_both(skin: Mask, by_colour: Mask, person: Mask, face: Mask) -> Mask:
    """Share of skin 0-1 of one person. skin: the network's; by_colour: that of their face's colours; person: where they
    are; face: the skin of their face as it was seen from close by; 0-1 each.
    """
    own = face > _SURE
    known = float(by_colour[own].mean()) if own.sum() >= _LEAST else _UNSEEN
    count = max(_LEAST_COUNT, min(1.0, (known - _UNKNOWN) / (_WELL_KNOWN - _UNKNOWN)))
    odds = _log_odds(skin) + count * _log_odds(by_colour) + _LEAN
    return np.where(person > 0.5, 1 / (1 + np.exp(-odds)), skin).astype(np.float32)


def _log_odds(share: Mask) -> np.ndarray:
    share = np.clip(share, _CERTAIN, 1 - _CERTAIN)
    return np.log(share / (1 - share))
