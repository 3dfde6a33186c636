"""An eye at its pixels: its white, and its iris."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.face.colour_parts import log_ratio, signed_distance, smoothed
from lather.core.face.crop import Crop
from lather.core.face.iris import Eye, find_eye
from lather.core.job.face_mesh import EYE_CORNERS
from lather.core.types import EncodedRGB, Mask

_SIDE = 128
_ROOM = 1.7  # of the eye's width
_EDGE_OFF = 0.035  # of the eye's width that the network's edge may be off
_RING = (0.06, 0.22)  # of the eye's width: lids around it that are sure
_IRIS_TRIES = (1.0, 1.1, 1.2)  # of the network's radius
_PULL, _TEMPER = 2.0, 2.0  # ΔL* that a middle that far off must gain; within which others count too
_LEAST_RIM = 6  # places of the rim that lids leave free
_SHIFT = 0.12  # of the eye's width that the network's middle may be off


@dataclass(frozen=True)
class EyeParts:
    """Soft masks (h, w) 0-1 in the pixels of `crop`. middle, radius: of the iris, px of the picture."""

    crop: Crop
    white: Mask
    iris: Mask
    middle: tuple[float, float]
    radius: float


def find_eye_parts(picture: EncodedRGB, mesh: np.ndarray, side: str) -> EyeParts:
    """picture: sRGB-like values 0-1. mesh: (468, 2) in its px. side: left or right in the picture."""
    corners = mesh[list(EYE_CORNERS[side])]
    eye = find_eye(picture, corners, side)
    way = corners[1] - corners[0]
    middle = eye.opening.mean(0)
    crop = Crop((float(middle[0]), float(middle[1])), _ROOM * float(np.hypot(*way)), float(np.arctan2(way[1], way[0])),
                _SIDE)
    lab = srgb_to_lab(cv2.GaussianBlur(crop.cut(picture), (0, 0), 0.8))
    width, scale = _SIDE / _ROOM, crop.out / crop.side
    opening = signed_distance(lab.shape[:2], crop.to_crop(_round(eye)))
    at, radius = _iris(lab, crop.to_crop(np.array([eye.middle]))[0], eye.radius * scale, opening, width)
    ys, xs = np.mgrid[:_SIDE, :_SIDE] + 0.5
    from_iris = np.hypot(xs - at[0], ys - at[1]) - radius
    inner = opening > 0.03 * width
    ring = (opening < -_RING[0] * width) & (opening > -_RING[1] * width)
    parts = [inner & (from_iris > 0.1 * radius), inner & (from_iris < -0.1 * radius)]
    colour = np.maximum(*(log_ratio(lab, part, ring) for part in parts))
    whole = smoothed(0.5 * colour + 2 * opening / (_EDGE_OFF * width), 1.0)
    iris = whole / (1 + np.exp(np.clip(2 * from_iris, -30, 30)))
    x, y = crop.to_picture(at[None])[0]
    return EyeParts(crop, (whole - iris).astype(np.float32), iris.astype(np.float32), (float(x), float(y)),
                    radius / scale)


def _round(eye: Eye) -> np.ndarray:
    """The opening's outline, once round."""
    return np.concatenate([eye.opening[:9], eye.opening[9:][::-1]])


def _iris(lab, at, radius: float, opening, width: float) -> tuple[np.ndarray, float]:
    """Middle and radius where the rim is strongest: darker inside than outside, at its sides, where lids leave it free
    (the integro-differential operator of Daugman 1993).
    """
    light = cv2.GaussianBlur(np.ascontiguousarray(lab[..., 0]), (0, 0), 1.0)
    turns = np.radians([*range(-40, 41, 8), *range(140, 221, 8)])
    unit = np.stack([np.cos(turns), np.sin(turns)], -1)
    steps = np.linspace(-_SHIFT, _SHIFT, 9) * width
    shifts = np.stack(np.meshgrid(steps, steps), -1).reshape(-1, 1, 2)
    radii = (radius * np.array(_IRIS_TRIES))[:, None, None, None]
    rims = [_at(light, at + shifts + (radii + off) * unit) for off in (-1.5, 1.5)]  # (tries, shifts, turns)
    free = _at(opening, at + shifts + radii * unit) > 0
    seen = free.sum(-1)
    gain = np.where(free, rims[1] - rims[0], 0).sum(-1) / np.maximum(seen, 1)
    gain -= _PULL * (np.hypot(*shifts[:, 0].T) / width / _SHIFT) ** 2
    gain[seen < _LEAST_RIM] = -np.inf
    if not np.isfinite(gain).any():
        return at, radius
    weight = np.exp((gain - gain.max()) / _TEMPER)  # the mean of the best: it does not jump from one to the other
    weight /= weight.sum()
    middle = at + (weight.sum(0)[:, None] * shifts[:, 0]).sum(0)
    return middle, float((weight.sum(1) * radii[:, 0, 0, 0]).sum())


def _at(values: np.ndarray, places: np.ndarray) -> np.ndarray:
    maps = (places - 0.5).astype(np.float32).reshape(-1, places.shape[-2], 2)
    found = cv2.remap(values, maps[..., 0].copy(), maps[..., 1].copy(), cv2.INTER_LINEAR,
                      borderMode=cv2.BORDER_REPLICATE)
    return found.reshape(places.shape[:-1])
