"""A made face at a size that is quick to work on, found once."""

import functools
import hashlib
from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetFinds
from lather.core.job.history import History
from lather.core.job.model import new_job
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.base import Flaw
from lather.core.practice.make import make_plate
from lather.core.session import Session
from lather.core.stages.light.needed import NeededLight, new_cells
from lather.core.stages.sculpt.form import Form


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


@functools.cache
def made_face(sitter: str = "wren", seed: int = 5, scale: float = 0.6, **flaws: int) -> Face:
    """flaws: {kind: count}."""
    made = make_plate(sitter, seed, flaws=flaws)

    def sized(pixels):
        return cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)

    photo, truth = sized(made.photo), sized(made.truth)
    zones = cv2.resize(made.zones, photo.shape[1::-1], interpolation=cv2.INTER_NEAREST)
    for flaw in made.flaws:
        flaw.x, flaw.y, flaw.size_px = flaw.x * scale, flaw.y * scale, flaw.size_px * scale
        flaw.outline = [(x * scale, y * scale) for x, y in flaw.outline]
    measures = PhotoMeasures(Photo(Picture(photo), b"", "photo"))
    return Face(photo, truth, zones, tuple(made.flaws), measures)


def brighter(pixels: np.ndarray, stops: float) -> np.ndarray:
    """The same photo developed brighter, uint16."""
    values = pixels.astype(np.float64) / 65535
    linear = np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4) * 2**stops
    encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    return np.round(np.clip(encoded, 0, 1) * 65535).astype(np.uint16)
