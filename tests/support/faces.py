"""A made face at a size that is quick to work on, found once."""

import functools
import hashlib
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.colour import srgb
from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetFinds
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.base import BLOOD, MELANIN, Flaw
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter
from lather.core.session import Session
from lather.core.stages.light.needed import NeededLight, new_cells
from lather.core.stages.sculpt.form import Form
from lather.core.types import as_float32


@functools.cache
def _needed(photo: bytes) -> NeededLight:
    """What the network says of a photo, worked out once for all tests."""
    return NeededLight(new_cells())


@dataclass(frozen=True)
class Face:
    """photo, truth: uint16 (h, w, 3), with flaws and without. zones: labels. flaws: at this size."""

    photo: np.ndarray
    truth: np.ndarray
    zones: np.ndarray
    flaws: tuple[Flaw, ...]
    measures: PhotoMeasures

    def session(self, pixels: np.ndarray | None = None) -> Session:
        """With the face known, nothing looked for. pixels: another development of the same photo."""
        own = self.photo if pixels is None else pixels
        data = hashlib.sha256(own.tobytes()).digest()
        photo = Photo(Picture(own), data, "photo.png")
        session = Session(photo, History(new_job(photo.source)))
        session.engine.kinds["even"].stores.needed = _needed(data)
        session.engine.kinds["sculpt"].form = Form(_needed(data))
        session.history.amend(SetFinds((), self.measures.face, self.measures.faces[1:]))
        return session


_STAINS = ((-0.42, 0.55, 1), (0.42, 0.62, 1), (0.05, -0.52, 1), (-0.35, -0.5, -1), (-0.5, 0.9, 1), (0.33, -0.45, 1),
           (0.48, 0.95, -1), (-0.25, 0.8, 1))
"""Across and down the face in eye distances; more blood (1) or less (-1)."""
_STAIN_MM, _STAIN = 5.0, 0.2
_COLOUR = 0.75 * BLOOD + 0.25 * MELANIN


def _stained(pixels: np.ndarray, measures: PhotoMeasures, count: int) -> tuple[np.ndarray, list[Flaw]]:
    """With blotches of blood at known places, soft at their rims, as long as they lie on skin."""
    face, size = measures.face, _STAIN_MM * measures.pixels_per_mm
    origin, across, down = face.frame
    linear = srgb.decode(pixels / np.float32(65535))
    ys, xs = np.mgrid[: pixels.shape[0], : pixels.shape[1]]
    flaws = []
    for number, (u, v, sign) in enumerate(_STAINS[:count]):
        x, y = origin + face.eye_distance_px * (u * across + v * down)
        mask = np.clip(1.5 - 2 * np.hypot(xs - x, ys - y) / size, 0, 1)
        mask = (mask * mask * (3 - 2 * mask))[..., None]
        linear = linear * np.exp(-sign * _STAIN * mask * _COLOUR)
        rim = [(x + 0.6 * size * np.cos(t), y + 0.6 * size * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 24)]
        kind = "blotch_dark" if sign > 0 else "blotch_bright"
        flaws.append(Flaw(kind, float(x), float(y), float(size), 3.0, False, rim, id=number + 1))
    return np.round(65535 * np.clip(srgb.encode(linear), 0, 1)).astype(np.uint16), flaws


@functools.cache
def made_face(sitter: str = "wren", seed: int = 5, scale: float = 0.6, stains: int = 0, **flaws: int) -> Face:
    """stains: blotches of blood. flaws: {kind: count}."""
    def sized(pixels):
        return cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)

    made = make_plate(sitter, seed, flaws=flaws) if flaws else None
    clean = load_sitter(sitter)
    photo, truth = (sized(p) for p in (made.photo, made.truth)) if made else 2 * (
        sized(np.round(as_float32(clean.picture.pixels) * 65535).astype(np.uint16)),)
    zones = cv2.resize(clean.zones, photo.shape[1::-1], interpolation=cv2.INTER_NEAREST)
    drawn = made.flaws if made else []
    for flaw in drawn:
        flaw.x, flaw.y, flaw.size_px = flaw.x * scale, flaw.y * scale, flaw.size_px * scale
        flaw.outline = [(x * scale, y * scale) for x, y in flaw.outline]
    measures = PhotoMeasures(Photo(Picture(truth), b"", "photo"))
    photo, more = _stained(photo, measures, stains) if stains else (photo, [])
    return Face(photo, truth, zones, (*drawn, *more), replace(measures, photo=Photo(Picture(photo), b"", "photo")))


def brighter(pixels: np.ndarray, stops: float) -> np.ndarray:
    """The same photo developed brighter, uint16."""
    values = pixels.astype(np.float64) / 65535
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4) * 2**stops
    encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    return np.round(np.clip(encoded, 0, 1) * 65535).astype(np.uint16)
