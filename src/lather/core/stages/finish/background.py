"""Background: the ground behind the person evened towards its usual colour, and darker or lighter; the person stays.

What is evened is the wide tone of the ground (normalised convolution over the ground alone), so that no colour of the
person bleeds into it, and no rim stands where the two meet.
"""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import around_reach, tone_around
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.lightness import to_lightness
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.adjust.values import read_lab
from lather.core.stages.base import Surroundings
from lather.core.stages.finish.tone import exposed_lightness
from lather.core.types import EncodedRGB, Lab, Mask, Rect

EVENED = Number("evened", "Evened", ranges.SHARE, 0.6, "%", shown_times=100)
LIGHT = Number("light", "Light", ranges.Range(-3.0, 3.0, "stop"), 0.0, "stop", step=0.05)
SIZE = Number("size_px", "Unevenness from", ranges.Range(4.0, 2000.0, "px"), 80.0, "px")


class BackgroundKind(AdjustmentKind):
    """usual: colour of the ground, Lab."""

    id = "background"
    method = b"background-1"
    label, icon = "Background", "background"
    hint = "The ground behind the person: evened towards its usual colour, darker or lighter."
    own = (EVENED, LIGHT, SIZE, Model("usual", "Usual colour", read_lab))
    mask = by_zones("ground")
    by_face = True

    def _sizes(self, layer: Layer) -> tuple[float, ...]:
        size = float(self.value(layer, SIZE.id))
        return (size / 2, 2 * size)

    def margin(self, layer: Layer) -> int:
        return around_reach(self._sizes(layer))

    def near(self, layer: Layer) -> int:
        return 0

    def neutral(self, layer: Layer) -> bool:
        evens = float(self.value(layer, EVENED.id)) > 0 and "usual" in layer.settings
        return not evens and float(self.value(layer, LIGHT.id)) == 0

    @classmethod
    def said(cls, layer: Layer) -> str:
        light = float(layer.settings.get(LIGHT.id, 0.0))
        evened = 100 * layer.settings.get(EVENED.id, EVENED.start)
        return phrase("evened %1 %", f"{evened:.0f}") + (phrase(" · %1 stop", f"{light:+.2f}") if light else "")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        change = np.zeros_like(lab)
        evened, stops = float(self.value(layer, EVENED.id)), float(self.value(layer, LIGHT.id))
        if evened > 0 and "usual" in layer.settings and around.zones is not None:

            def counts(_: Lab, part: Rect, at: int) -> Mask:
                """Ground, well away from the person."""
                share = around.zones.mask("ground", around.faces, part, at)
                return np.clip((share - 0.6) / 0.35, 0, 1)

            wide, known = tone_around(around.below, counts, rect, level, around.bounds, self._sizes(layer))
            change = evened * known[..., None] * (np.array(layer.settings["usual"], np.float32) - wide)
        if stops:
            after = np.clip(lab + change, 0.0, None)[..., 0] / 100
            darker = lab + change
            change = change + to_lightness(darker, 100 * exposed_lightness(after, stops))
        return changed(pixels, lab, change.astype(np.float32), coverage)
