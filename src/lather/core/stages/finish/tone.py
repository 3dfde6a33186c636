"""Curve and points: exposure, contrast, black and white point, curve, warmth and tint, in that order."""

import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import joined, phrase
from lather.core.stages.adjust.curve import is_straight, read_curve, through
from lather.core.stages.adjust.kind import MASK_TOOLS, AdjustmentKind
from lather.core.stages.adjust.lightness import to_lightness
from lather.core.stages.adjust.mask import everywhere
from lather.core.stages.adjust.pixels import changed, to_lab
from lather.core.stages.base import Surroundings
from lather.core.stages.colour.area_curve import points_of
from lather.core.types import EncodedRGB, Mask, Rect

EXPOSURE = Number("exposure", "Exposure", ranges.Range(-3.0, 3.0, "stop"), 0.0, "stop", step=0.05)
CONTRAST = Number("contrast", "Contrast", ranges.Range(-1.0, 1.0), 0.0, "%", shown_times=100)
BLACK = Number("black_at", "Black at", ranges.Range(0.0, 40.0, "L*"), 0.0, "L*", step=0.5)
WHITE = Number("white_at", "White at", ranges.Range(60.0, 100.0, "L*"), 100.0, "L*", step=0.5)
WARMTH = Number("warmth", "Warm", ranges.Range(-30.0, 30.0, "b*"), 0.0, "b*", step=0.5)
TINT = Number("tint", "Tint", ranges.Range(-30.0, 30.0, "a*"), 0.0, "a*", step=0.5)
CURVE = Model("curve", "Curve", read_curve)
_KNEE = 0.75  # of the lightness range: from there a raised exposure is rolled off, so that nothing new clips
_MOST_CAST, _TELLS_CAST = 28.0, (12.0, 97.0)  # a*b* of a cast on something grey; L* at which it is told
NUMBERS = (EXPOSURE, CONTRAST, BLACK, WHITE, WARMTH, TINT)


class ToneKind(AdjustmentKind):
    """Curve, exposure, contrast, black and white points, warmth and tint."""

    id = "tone"
    method = b"tone-1"
    label, icon = "Curve and points", "curve"
    hint = ("Bend the curve at its points; black and white point cut off what lies beyond them: see the clipping lamp. "
            "With Pick touch what is to be grey.")
    own = (*NUMBERS, CURVE)
    mask = everywhere()
    tools = (*MASK_TOOLS, "pick")

    def neutral(self, layer: Layer) -> bool:
        held = layer.settings
        return all(float(held.get(one.id, one.start)) == one.start for one in NUMBERS) and is_straight(points_of(layer))

    @classmethod
    def said(cls, layer: Layer) -> str:
        held = {one.id: float(layer.settings.get(one.id, one.start)) for one in NUMBERS}
        words = [phrase("%1 stop", f"{held['exposure']:+.2f}")] * bool(held["exposure"])
        words += [phrase("contrast %1", f"{100 * held['contrast']:+.0f}")] * bool(held["contrast"])
        words += [f"b* {held['warmth']:+.1f}"] * bool(held["warmth"])
        if not is_straight(points_of(layer)):
            words.append("curve")
        return joined(words[:2], " · ") or phrase("neutral")

    def clips(self, layer: Layer) -> bool:
        """True where the person asks for it: a black or white point inside the range, a curve that does not reach its
        corners."""
        points = points_of(layer)
        cut = points[0][0] > 0 or points[-1][0] < 1
        return cut or float(self.value(layer, BLACK.id)) > 0 or float(self.value(layer, WHITE.id)) < 100

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab = to_lab(pixels)
        light = self.lightness(layer, lab[..., 0] / 100)
        change = to_lightness(lab, np.maximum(100 * light, 0))
        # colour fades towards black and white, so that both stay themselves
        fade = np.clip(light / 0.08, 0, 1) * np.clip((1 - light) / 0.06, 0, 1)
        change[..., 1] += np.float32(self.value(layer, TINT.id)) * fade
        change[..., 2] += np.float32(self.value(layer, WARMTH.id)) * fade
        return changed(pixels, lab, change, coverage, clips=self.clips(layer))

    def lightness(self, layer: Layer, light: np.ndarray) -> np.ndarray:
        """L* / 100 after all of it; identity where all is neutral."""
        stops, contrast = (float(self.value(layer, one.id)) for one in (EXPOSURE, CONTRAST))
        black, white = (float(self.value(layer, one.id)) / 100 for one in (BLACK, WHITE))
        if stops:
            light = exposed_lightness(light, stops)
        if contrast:
            light = with_contrast(light, contrast)
        if black > 0 or white < 1:
            light = (light - black) / (white - black)
        points = points_of(layer)
        return light if is_straight(points) else through(points, light)


def neutral_at(lab: np.ndarray) -> dict[str, float] | None:
    """Warmth and tint by which a colour (Lab, of what lies beneath) becomes grey; None for one that is no grey card and
    no white: too colourful, burnt, or too dark to tell.
    """
    light, a, b = (float(one) for one in lab)
    if np.hypot(a, b) > _MOST_CAST or not _TELLS_CAST[0] <= light <= _TELLS_CAST[1]:
        return None
    return {TINT.id: round(float(np.clip(-a, -30, 30)), 1), WARMTH.id: round(float(np.clip(-b, -30, 30)), 1)}


def exposed_lightness(light: np.ndarray, stops: float) -> np.ndarray:
    """L* / 100 of so many stops more, in linear light; what would come near white is rolled off and never gets there.

    From the knee on: a rational curve that goes on with the slope it begins with, and ends at white.
    """
    bright = _exposed(light, stops)
    if stops <= 0:
        return np.where(light > 1, light, bright).astype(np.float32)
    knee = float(_exposed(np.float64(_KNEE), -stops))
    slope = float(_exposed(np.float64(knee), stops) - _exposed(np.float64(knee - 1e-3), stops)) / 1e-3
    slope *= (1 - knee) / (1 - _KNEE)
    over = np.clip((light - knee) / (1 - knee), 0, 1)
    rolled = _KNEE + (1 - _KNEE) * slope * over / (1 + (slope - 1) * over)
    return np.where(light > 1, light, np.where(light <= knee, bright, rolled)).astype(np.float32)


def _exposed(light: np.ndarray, stops: float) -> np.ndarray:
    f = (100 * light + 16) / 116
    linear = np.where(f > 6 / 29, f**3, (116 * f - 16) / (24389 / 27)) * 2.0**stops
    return np.where(linear > 216 / 24389, 116 * np.cbrt(np.maximum(linear, 0)) - 16, 24389 / 27 * linear) / 100


def with_contrast(light: np.ndarray, contrast: float) -> np.ndarray:
    """Through black, middle and white with slope 1 + contrast in the middle (at least 0.1); it never folds."""
    inside = np.clip(light, 0, 1)
    if contrast < 0:  # a cubic, so that shadows are not torn open
        return (light + max(-0.9, contrast) * 2 * inside * (1 - inside) * (2 * inside - 1)).astype(np.float32)
    bent = (2 * np.minimum(inside, 1 - inside)) ** np.float32(1 + contrast) / 2
    return (np.where(inside <= 0.5, bent, 1 - bent) + (light - inside)).astype(np.float32)
