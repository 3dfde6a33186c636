"""Lamps as the engine sees them: a last layer over the finished picture."""

import hashlib
import json

from lather.core.lamps.registry import LAMPS
from lather.core.stages.base import LayerKind, LiveEdit, Painting, Step, Surroundings
from lather.core.types import EncodedRGB, Rect


class LampKind(LayerKind):
    """A lamp as a layer kind, so that the engine's tiles and cache serve it too."""

    id = "lamp"
    over_finished = True

    @staticmethod
    def _of(step: Step):
        return LAMPS[step.layer.settings["lamp"]]

    def needs(self, step: Step, rect: Rect) -> Rect:
        return rect.expand(self._of(step).reach(step.layer.settings))

    def touches(self, step: Step, rect: Rect) -> bool:
        return True

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        own = json.dumps(step.layer.settings, sort_keys=True).encode()
        own += around.zones.digest if around.zones is not None else b""
        return hashlib.blake2b(own, digest_size=16).digest()

    def render(self, around: Surroundings, step: Step, rect: Rect, level: int) -> EncodedRGB:
        return self._of(step).shown(around, step.layer.settings, rect, level)

    def live(self, painting: Painting) -> LiveEdit:
        raise NotImplementedError("nothing is painted on a lamp")
