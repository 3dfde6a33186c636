"""A look at one band of the finished picture, as a last layer that is only shown and never saved or delivered."""

import hashlib
from dataclasses import replace

import numpy as np

from lather.core.job.model import Job, Layer
from lather.core.stages.base import Surroundings
from lather.core.stages.split.bands import BandSettings, low_pass, low_pass_halo
from lather.core.types import EncodedRGB, Rect

_GAIN = np.float32(2.0)  # pores are faint: seen at twice their contrast
LOOKS = {"picture": "Picture", "texture": "Texture", "tone": "Tone"}


class LookKind:
    """Renders the texture around middle grey, or the tone alone, of what lies beneath."""

    id = "look"

    def halo(self, layer: Layer, level: int) -> int:
        settings = BandSettings.of(layer.settings)
        return low_pass_halo(settings.width_px / (1 << level), settings.edge_keeping)

    def touches(self, layer: Layer, rect: Rect) -> bool:
        return True

    def fingerprint(self, around: Surroundings, layer: Layer, rect: Rect) -> bytes:
        return hashlib.blake2b(f"{layer.settings}".encode(), digest_size=16).digest()

    def render(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> EncodedRGB:
        settings = BandSettings.of(layer.settings)
        bounds = around.bounds.at_level(level)
        wide = rect.expand(self.halo(layer, level)).intersect(bounds)
        pixels = around.below(wide, level)
        tone = low_pass(pixels, max(0.3, settings.width_px / (1 << level)), settings.edge_keeping, wide[:2])
        out = tone if settings.band == "tone" else _GAIN * (pixels - tone) + np.float32(0.5)
        return np.ascontiguousarray(out[rect.slices(wide)])


def looked_at(job: Job, look: str, settings: dict) -> Job:
    """The job as it is shown under a look of LOOKS; the job itself for "picture"."""
    if look == "picture":
        return job
    layer = Layer("look", "Look", "look", settings={"everywhere": True} | settings | {"band": look})
    finish = job.stage("finish")
    return job.with_stage(replace(finish, on=True, strength=1.0, layers=(*finish.layers, layer)))
