"""Background: the ground behind the person evened towards its usual colour, its folds softened, blurred by its distance
from the person, and darker or lighter; the person stays.

What is laid there is made of the ground alone (normalised convolution), so that no colour of the person bleeds into it,
and no rim stands where the two meet. In the hair, where both share a pixel, only the ground's part of it is exchanged.
"""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import around_reach, share_around, tone_around
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.lightness import to_lightness
from lather.core.stages.adjust.mask import by_zones
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.adjust.values import read_lab
from lather.core.stages.base import Surroundings
from lather.core.stages.finish.tone import exposed_lightness
from lather.core.types import EncodedRGB, Lab, Mask, Rect

EVENED = Number("evened", "Evened", ranges.SHARE, 0.6, "%", shown_times=100)
FOLDS = Number("folds", "Folds softened", ranges.SHARE, 0.0, "%", shown_times=100)
BLUR = Number("blur_px", "Blur", ranges.Range(0.0, 200.0, "px"), 0.0, "px")
LIGHT = Number("light", "Light", ranges.Range(-3.0, 3.0, "stop"), 0.0, "stop", step=0.05)
SIZE = Number("size_px", "Unevenness from", ranges.Range(4.0, 2000.0, "px"), 80.0, "px")
_NEAR = 0.35  # of the blur, close to the person: what stands there is as sharp as they are
_OFF = (0.62, 0.95)  # share of ground around a place from which it is near the person, and from which it is far
_OFF_TIMES = 2.5  # of the blur: how wide around it that share is asked for
_ALONE = (0.9, 0.995)  # share of a pixel from which all of it is ground
_FOLDS = (0.08, 1.4)  # of the size: what is between these is a fold, a seam or a stain
_SEEN_PX = 2.5  # sigma over which the ground's own part of a pixel in the hair is told


class BackgroundKind(AdjustmentKind):
    """usual: colour of the ground, Lab."""

    id = "background"
    method = b"background-1"
    label, icon = "Background", "background"
    hint = "The ground behind the person: evened, its folds softened, blurred further off, darker or lighter."
    own = (EVENED, FOLDS, BLUR, LIGHT, SIZE, Model("usual", "Usual colour", read_lab))
    mask = by_zones("ground")
    by_face = True

    def _sizes(self, layer: Layer) -> tuple[float, ...]:
        size = float(self.value(layer, SIZE.id))
        return (size / 2, 2 * size)

    def margin(self, layer: Layer) -> int:
        blur, size = (max(1.0, float(self.value(layer, one.id))) for one in (BLUR, SIZE))
        asked = (self._sizes(layer), (_FOLDS[1] * size, 2 * _FOLDS[1] * size), (_OFF_TIMES * blur,))
        return max(map(around_reach, asked))

    def near(self, layer: Layer) -> int:
        return 0

    def neutral(self, layer: Layer) -> bool:
        evens = float(self.value(layer, EVENED.id)) > 0 and "usual" in layer.settings
        return not evens and all(float(self.value(layer, one.id)) == 0 for one in (LIGHT, FOLDS, BLUR))

    @classmethod
    def said(cls, layer: Layer) -> str:
        light, blur = (float(layer.settings.get(one.id, 0.0)) for one in (LIGHT, BLUR))
        evened = 100 * layer.settings.get(EVENED.id, EVENED.start)
        return (phrase("evened %1 %", f"{evened:.0f}") + (phrase(" · blur %1 px", f"{blur:.0f}") if blur else "")
                + (phrase(" · %1 stop", f"{light:+.2f}") if light else ""))

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        change = np.zeros_like(lab)
        if around.zones is not None:
            ground = _Ground(around, rect, level)
            evened, folds, blur = (float(self.value(layer, one.id)) for one in (EVENED, FOLDS, BLUR))
            if blur / (1 << level) > 0.3:
                change = ground.blurred(lab, blur)
            if folds > 0:
                change = change + folds * ground.without_folds(float(self.value(layer, SIZE.id)))
            if evened > 0 and "usual" in layer.settings:
                wide, known = ground.tone(self._sizes(layer))
                change = change + evened * known[..., None] * (np.array(layer.settings["usual"], np.float32) - wide)
        stops = float(self.value(layer, LIGHT.id))
        if stops:
            after = np.clip(lab + change, 0.0, None)[..., 0] / 100
            darker = lab + change
            change = change + to_lightness(darker, 100 * exposed_lightness(after, stops))
        return changed(pixels, lab, change.astype(np.float32), coverage)


class _Ground:
    """The ground around a rectangle of a level, without the person before it."""

    def __init__(self, around: Surroundings, rect: Rect, level: int):
        self._around, self._rect, self._level = around, rect, level

    def _share(self, rect: Rect, level: int) -> Mask:
        return self._around.zones.mask("ground", self._around.faces, rect, level)

    def tone(self, widths_px: tuple[float, ...]) -> tuple[Lab, Mask]:
        """(Lab of the ground alone, how much of it is known 0-1), as `tone_around`."""
        def counts(_: Lab, part: Rect, at: int) -> Mask:
            """Ground, well away from the person."""
            return np.clip((self._share(part, at) - 0.6) / 0.35, 0, 1)

        return tone_around(self._around.below, counts, self._rect, self._level, self._around.bounds, widths_px)

    def blurred(self, lab: Lab, blur_px: float) -> Lab:
        """Change in Lab that blurs the ground, the more the further it is from the person."""
        near, _ = self.tone((_NEAR * blur_px, 2 * blur_px))
        far, known = self.tone((blur_px, 2 * blur_px))
        off = share_around(self._share, self._rect, self._level, self._around.bounds, _OFF_TIMES * blur_px)
        far_off = _rising(off, *_OFF)[..., None]
        alone = _rising(self._share(self._rect, self._level), *_ALONE)[..., None]
        own, _ = self.tone((_SEEN_PX * (1 << self._level), max(2 * blur_px, 2 * _SEEN_PX * (1 << self._level))))
        here = own + alone * (lab - own)
        return known[..., None] * (near + far_off * (far - near) - here)

    def without_folds(self, size_px: float) -> Lab:
        """Change in Lab that takes out what is finer than a size and coarser than the weave: folds, seams and stains.
        The wide gradient of the light stays.
        """
        finest, widest = (share * size_px for share in _FOLDS)
        fine, known = self.tone((max(1.5, finest), 2 * widest))
        wide, _ = self.tone((widest, 2 * widest))
        return known[..., None] * (wide - fine)


def _rising(values: np.ndarray, low: float, high: float) -> np.ndarray:
    share = np.clip((values - low) / (high - low), 0, 1)
    return share * share * (3 - 2 * share)
