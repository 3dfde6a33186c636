"""The mouth at its pixels: lips, teeth, and what is dark between them."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.face.colour_parts import log_ratio, signed_distance, smoothed
from lather.core.face.crop import Crop
from lather.core.job.face_mesh import LIPS_INNER, LIPS_OUTER, MOUTH_CORNERS
from lather.core.types import EncodedRGB, Mask

_SIDE = 192
_ROOM = 1.7  # of the mouth's width
_EDGE_OFF, _INNER_OFF = 0.03, 0.03  # of the mouth's width that a mesh edge may be off (where it says nothing any more)
_RING = (0.07, 0.22)  # of the mouth's width: skin around it that is sure
_TEETH_LIGHTER, _DARK_SHARE = 4.0, 0.55  # ΔL* over the lips' median; of it
_TEETH_CHROMA, _TEETH_RED = 0.75, 0.6  # of the lips', and of their a*


@dataclass(frozen=True)
class Mouth:
    """Soft masks (h, w) 0-1 in the pixels of `crop`."""

    crop: Crop
    lips: Mask
    teeth: Mask
    mouth: Mask


def find_mouth(picture: EncodedRGB, mesh: np.ndarray) -> Mouth:
    """picture: sRGB-like values 0-1. mesh: (468, 2) in its px."""
    left, right = mesh[MOUTH_CORNERS["left"]], mesh[MOUTH_CORNERS["right"]]
    way = right - left
    middle = mesh[list(LIPS_OUTER)].mean(0)
    crop = Crop((float(middle[0]), float(middle[1])), _ROOM * float(np.hypot(*way)), float(np.arctan2(way[1], way[0])),
                _SIDE)
    lab = srgb_to_lab(cv2.GaussianBlur(crop.cut(picture), (0, 0), 1.0))
    width = _SIDE / _ROOM
    outer = signed_distance(lab.shape[:2], crop.to_crop(mesh[list(LIPS_OUTER)]))
    inner = signed_distance(lab.shape[:2], crop.to_crop(mesh[list(LIPS_INNER)]))
    opening = _opening(lab, outer, inner, width)
    sure = (outer > 0.02 * width) & (opening < 0.3)
    ring = (outer < -_RING[0] * width) & (outer > -_RING[1] * width)
    odds = log_ratio(lab, sure, ring) + outer / (_EDGE_OFF * width) * 2
    whole = smoothed(odds, 1.5)
    lips = whole * (1 - opening)
    teeth = opening * _teeth(lab, sure)
    return Mouth(crop, lips.astype(np.float32), teeth.astype(np.float32), (opening - teeth).astype(np.float32))


def _opening(lab, outer, inner, width: float) -> Mask:
    """What between the lips is no lip: there the mesh opens even closed mouths a little, so colour decides."""
    lip = (outer > 0.02 * width) & (inner < -0.02 * width)
    if lip.sum() < 50:
        return np.zeros(outer.shape, np.float32)
    usual = np.median(lab[lip], axis=0)
    spread = 1.48 * np.median(np.abs(lab[lip] - usual), axis=0) + 2
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    dark = (lab[..., 0] < _DARK_SHARE * usual[0]).astype(np.float32)
    coloured_like_teeth = (chroma < _TEETH_CHROMA * np.hypot(usual[1], usual[2])) | _yellow(lab, usual)
    pale = coloured_like_teeth & (lab[..., 0] > usual[0] - spread[0])
    other = np.maximum(dark, pale.astype(np.float32))
    near = 1 / (1 + np.exp(-(inner / (_INNER_OFF * width)) * 2 - 1))
    return cv2.GaussianBlur(other, (0, 0), 1.0) * near


def _teeth(lab, lips: np.ndarray) -> Mask:
    """1 where what is between the lips is as light as teeth are."""
    if not lips.any():
        return np.zeros(lab.shape[:2], np.float32)
    usual = np.median(lab[lips], axis=0)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    light = np.clip((lab[..., 0] - usual[0] + _TEETH_LIGHTER) / 8, 0, 1)
    return light * ((chroma < 1.1 * np.hypot(usual[1], usual[2])) | _yellow(lab, usual))


def _yellow(lab, lips: np.ndarray) -> np.ndarray:
    """True where it is far less red than lips of a usual colour: teeth may be yellow, lips are not."""
    return lab[..., 1] < _TEETH_RED * lips[1]


def outline_of(mouth: Mouth) -> np.ndarray | None:
    """The lips' outline (n, 2) in px of the picture, None where none is left."""
    filled = (np.maximum(mouth.lips, np.maximum(mouth.teeth, mouth.mouth)) > 0.5).astype(np.uint8)
    contours, _ = cv2.findContours(filled, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        return None
    return mouth.crop.to_picture(max(contours, key=cv2.contourArea)[:, 0].astype(float) + 0.5)
