"""Skin held alike over a sitting: its colour on each frame, and the layer that brings one frame to another's."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.colour.lab import delta_e2000, srgb_to_lab
from lather.core.engine.engine import Engine
from lather.core.job.face_mesh import OVAL
from lather.core.job.model import Job, Layer, new_id
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.phrases import phrase
from lather.core.stages.finish.tone import ToneKind
from lather.core.types import EncodedRGB, Rect

ALIKE_DE, ALIKE_L = 1.0, 1.0
"""What is nearer than that is left as it is."""
_ROUNDS = 3
_LEAST_PX = 50
_STAYS_IN = {"exposure": 1.5, "warmth": 15.0, "tint": 15.0}


@dataclass(frozen=True)
class Skin:
    """Usual Lab of the face's skin."""

    lightness: float
    a: float
    b: float

    @property
    def lab(self) -> np.ndarray:
        """(L*, a*, b*)."""
        return np.array([self.lightness, self.a, self.b])

    def colour_off(self, other: "Skin") -> float:
        """ΔE00 of the colour alone, both taken at the lightness of the other."""
        here = np.array([[other.lightness, self.a, self.b]])
        return float(delta_e2000(here, other.lab[None])[0])

    @classmethod
    def from_json(cls, data: Sequence) -> "Skin":
        """Raises TypeError or ValueError for what is no colour."""
        values = [float(value) for value in data]
        if len(values) != 3 or not all(abs(value) <= 300 for value in values):
            raise ValueError("no colour")
        return cls(*values)

    def to_json(self) -> list[float]:
        """The three numbers, to a hundredth."""
        return [round(float(v), 2) for v in self.lab]


def skin_of(measures: PhotoMeasures, read=None) -> Skin | None:
    """Of a photo; with read(rect, level), of what is made of it. None where hardly any skin is seen."""
    mask = measures.own_skin > 0.5
    if measures.face is not None and measures.face.mesh:
        oval = np.zeros(mask.shape, np.uint8)
        ring = measures.face.mesh_px[list(OVAL)] / measures.scale
        cv2.fillPoly(oval, [np.round(ring).astype(np.int32).reshape(-1, 1, 2)], 1)
        mask &= oval > 0
    if mask.sum() < _LEAST_PX:
        return None
    lab = measures.small_lab if read is None else srgb_to_lab(_small(measures, read))
    return Skin(*(float(v) for v in np.median(lab[mask], axis=0)))


def _small(measures: PhotoMeasures, read) -> EncodedRGB:
    level, size = 0, measures.small.shape[1::-1]
    while measures.photo.level_bounds(level + 1).width >= size[0]:
        level += 1
    bounds: Rect = measures.photo.level_bounds(level)
    return cv2.resize(np.clip(read(bounds, level), 0, 1), size, interpolation=cv2.INTER_AREA)


def retouched_skin(engine: Engine, job: Job, measures: PhotoMeasures) -> Skin | None:
    """Of the finished picture of a job."""
    return skin_of(measures, lambda rect, level: engine.pixels(job, rect, level))


def held_alike(engine: Engine, job: Job, measures: PhotoMeasures, wanted: Skin, name: str) -> Job:
    """The job with a layer on top of Finish that brings its skin to a colour; the job as it is where it is there.

    name: of the frame whose skin it is.
    """
    now = retouched_skin(engine, job, measures)
    if now is None or (abs(now.lightness - wanted.lightness) < ALIKE_L and now.colour_off(wanted) < ALIKE_DE):
        return job
    layer = Layer(new_id(), phrase("Skin as on %1",
                                   name), ToneKind.id, settings=ToneKind.new_settings() | {"everywhere": True})
    stage = job.stage("finish")
    job = job.with_stage(replace(stage, layers=(*stage.layers, layer)))
    settings = {"exposure": 0.0, "warmth": 0.0, "tint": 0.0}
    for _ in range(_ROUNDS):
        if now is None:
            break
        settings["exposure"] += float(np.log2(_luminance(wanted.lightness) / max(_luminance(now.lightness), 1e-4)))
        settings["warmth"] += wanted.b - now.b
        settings["tint"] += wanted.a - now.a
        settings = {key: round(float(np.clip(settings[key], -most, most)), 3) for key, most in _STAYS_IN.items()}
        job = job.with_layer("finish", replace(layer, settings=layer.settings | settings))
        now = retouched_skin(engine, job, measures)
    return job


def _luminance(lightness: float) -> float:
    return ((lightness + 16) / 116) ** 3
