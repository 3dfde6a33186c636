"""The parsing network: what each pixel around a head is.

It sees a square around a head several times, from the face alone to the whole body: RGB in an exposure that suits the
face, the mask of that person, and the face map drawn as filled shapes; mask and shapes may be absent. Fitted on made-up
people only, by benchmarks/fit_parts.py; run by OpenCV.
"""

import threading
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lather.core.face.crop import Crop
from lather.core.job.face_map import FaceMap
from lather.core.job.face_mesh import BROWS, EYES, LIPS_OUTER, OVAL
from lather.core.job.part_strokes import PART_NAMES
from lather.core.people.heads import Head
from lather.core.types import EncodedRGB, Mask

PARTS = PART_NAMES
"""What the network tells apart; "brows" are brows and lashes, "mouth" what is behind the teeth, "other" glasses and
jewellery."""
SIDE = 256
NEAR, MIDDLE, FAR = (1.6, 0.0), (3.8, 0.25), (9.0, 2.2)
"""Views of a head: (head sizes across, how many of them its middle lies below the head's)."""
_FILE = Path(__file__).parents[1] / "data" / "people" / "parts.onnx"
_MEDIAN, _MOST_GAIN = 0.20, 4.0  # of linear luminance, where the face's own is brought
_GAMMA = 2.2
_OTHERS = 0.5
_FACE_SHAPES = ((OVAL,), tuple(BROWS.values()), (LIPS_OUTER,), tuple(EYES.values()))
_lock = threading.Lock()  # the network works on one picture at a time


def view(head: Head, across: float, below: float) -> Crop:
    """The square of a view, in the px that the head is given in; its upper edge runs along the eyes."""
    x, y = np.array(head.middle) + below * head.size * head.down
    return Crop((float(x), float(y)), across * head.size, head.angle, SIDE)


def face_shapes(face: FaceMap | None, crop: Crop, scale: float = 1.0) -> np.ndarray | None:
    """(2, SIDE, SIDE) float32: oval and lips; brows and eyes. None where there is no mesh. scale: map's px to a px."""
    if face is None or not face.mesh:
        return None
    mesh = crop.to_crop(face.mesh_px / scale)
    return drawn_shapes(mesh)


def drawn_shapes(mesh: np.ndarray) -> np.ndarray:
    """The same from the 468 points (n, 2) in px of the square."""
    drawn = np.zeros((2, SIDE, SIDE), np.float32)
    for number, outlines in enumerate(_FACE_SHAPES):
        for outline in outlines:
            places = np.round(mesh[list(outline)] * 16).astype(np.int32)
            cv2.fillPoly(drawn[number // 2 if number > 1 else number], [places], 1.0 if number > 1 else 0.5, shift=4)
    return drawn


def shown_at(picture: EncodedRGB, gain: float) -> EncodedRGB:
    """A picture with another exposure; gain: times linear light."""
    return np.clip(picture, 0, 1) * np.float32(gain ** (1 / _GAMMA)) if gain != 1 else np.clip(picture, 0, 1)


def gain_for(picture: EncodedRGB, where: Mask) -> float:
    """What brings the median luminance where a mask is to that which the network is used to; 1 where there is none."""
    inside = picture[where > 0.5]
    if len(inside) < 20:
        return 1.0
    median = float(np.median(inside @ np.float32([0.2126, 0.7152, 0.0722]))) ** _GAMMA
    return float(np.clip(_MEDIAN / max(median, 1e-4), 1 / _MOST_GAIN, _MOST_GAIN))


def channels(picture: EncodedRGB, gain: float, person: np.ndarray | None, shapes: np.ndarray | None) -> np.ndarray:
    """(6, SIDE, SIDE) float32, what the network takes, of a square (SIDE, SIDE, 3).

    person: 1 that person, 0.5 another, 0 nobody. Where person or shapes are None the channels are 0.
    """
    out = np.zeros((6, SIDE, SIDE), np.float32)
    out[:3] = np.minimum(shown_at(picture, gain), 1.2).transpose(2, 0, 1) - 0.5
    if person is not None:
        out[3] = 2 * person - 1
    if shapes is not None:
        out[4:] = 1
        out[4] += shapes[0]
        out[5] += shapes[1]
    return out


@cache
def _network() -> cv2.dnn.Net:
    return cv2.dnn.readNetFromONNX(str(_FILE))


def run(inputs: np.ndarray) -> np.ndarray:
    """Shares (SIDE, SIDE, len(PARTS)) float32 that sum to 1, of one (6, SIDE, SIDE)."""
    with _lock:
        network = _network()
        network.setInput(inputs[None])
        out = network.forward()[0]
    return shares(out)


def shares(out: np.ndarray) -> np.ndarray:
    """The network's output (4 len(PARTS), SIDE / 2, SIDE / 2) put together (Shi et al. 2016), as shares."""
    half, number = SIDE // 2, len(PARTS)
    logits = out.reshape(number, 2, 2, half, half).transpose(3, 1, 4, 2, 0).reshape(SIDE, SIDE, number)
    logits = np.exp(logits - logits.max(-1, keepdims=True))
    return logits / logits.sum(-1, keepdims=True)


def other_people(mine: Mask, others: Mask) -> np.ndarray:
    """1 where that person is, 0.5 where others are."""
    return np.maximum(mine, _OTHERS * np.minimum(others, 1 - mine))


def face_region(shapes: np.ndarray) -> Mask:
    """Inside the oval of `drawn_shapes`, less features."""
    return ((shapes[0] == 0.5) & (shapes[1] == 0)).astype(np.float32)
