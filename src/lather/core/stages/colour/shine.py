"""Shine: a hot spot darkened towards the skin around it, never below it, and a share of it left so that the form stays.

How much of a place is gloss is told on the tone band, against the tone of the skin around the painted place. As it
darkens it takes the colour that the highlight's own slope has at that lightness: of the skin around, and bleached as it
is between there and half-way up. Hair is told by being finer and darker than the tone, the sooner the more of it there
is around, and is left as it is. Pores that burnt away come back from beside.
"""

from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from lather.core import ranges
from lather.core.job.model import Layer
from lather.core.parameters import Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import around_reach, reach, tone, tone_around, tone_reach
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.adjust.pixels import changed
from lather.core.stages.adjust.values import read_lab, read_offset
from lather.core.stages.base import Step, Surroundings
from lather.core.stages.colour.match import WIDTH
from lather.core.stages.maps.kind import Cover
from lather.core.types import EncodedRGB, Lab, Mask, Rect

AMOUNT = Number("amount", "Taken down", ranges.SHARE, 0.6, "%", shown_times=100)
PORES = Number("pores", "Pores back", ranges.SHARE, 1.0, "%", shown_times=100)
SPOT = Number("spot_px", "Spot", ranges.Range(4.0, 2000.0, "px"), 60.0, "px")
_SIZES = (0.35, 0.8, 1.6)  # of a spot: how far around it skin is asked, near first
_DOME, _MOST_DOME_PX = 0.22, 24.0  # of a spot; and no more, as all that it looks at is worked out around each tile
_UNPAINTED = 0.15
_HAIR, _AMONG_HAIR = (2.5, 7.0), (0.3, 2.5)  # L* darker than the tone: a hair from, surely one; among others
_BEARD = 0.05  # share of hairs, from where it is a beard
_MOST_BLEACHED = 12.0  # L* over the skin, from where on the slope says nothing any more
_KNEE = 1.5  # L* over which shine begins to count
_LIKE_SKIN = 14.0  # a*b* off
_PORES_MOST, _SPECK = 1.6, 2.5  # times that pores are raised at the most; of the usual, what is no pore any more
_GAIN = 1.06  # of the excess over the skin around that 100 % takes in the middle; its rim is taken further


class ShineKind(AdjustmentKind):
    """half: colour half-way down the slope, Lab. skin: usual colour of the skin, Lab. texture: its usual spread of L*
    finer than the tone. pores_from: (dx, dy) to skin whose pores may be taken where none are left.
    """

    id = "shine"
    for_skin = True
    method = b"shine-2"
    label, icon = "Shine", "shine"
    hint = "Paint over shine: it only darkens, towards the skin around it. Beard, brows and lashes stay."
    own = (
        AMOUNT, PORES, SPOT, WIDTH, Model("half", "Half-way", read_lab), Model("skin", "Skin", read_lab),
        Number("texture", "Texture", ranges.Range(0.0, 50.0), 0.0), Model("pores_from", "Pores from", read_offset),
    )

    def _sizes(self, layer: Layer) -> tuple[float, ...]:
        spot = float(self.value(layer, "spot_px"))
        return tuple(share * spot for share in _SIZES)

    def _dome(self, layer: Layer) -> float:
        """Sigma, level-0 px, over which what is left of a highlight falls off towards its rim: one that is burnt is
        flat, and would stay as a disc.
        """
        return min(_MOST_DOME_PX, _DOME * float(self.value(layer, "spot_px")))

    def _width(self, layer: Layer) -> float:
        return float(self.value(layer, WIDTH.id))

    def margin(self, layer: Layer) -> int:
        dx, dy = layer.settings.get("pores_from", (0, 0))
        dome = reach(self._dome(layer))
        return dome + max(around_reach(self._sizes(layer)), self.near(layer) + max(abs(dx), abs(dy)))

    def near(self, layer: Layer) -> int:
        return tone_reach(self._width(layer)) + reach(2 * self._width(layer)) + 1

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        wide = rect.expand(self.margin(step.layer)).intersect(around.bounds)
        return super().fingerprint(around, step, wide)  # it looks at where it is not painted as well

    def neutral(self, layer: Layer) -> bool:
        return float(self.value(layer, "amount")) == 0 or "skin" not in layer.settings

    @classmethod
    def said(cls, layer: Layer) -> str:
        spots = len(layer.edits)
        where = phrase("%n places", n=spots,
                       one="%n place") if spots else "zones" if layer.settings.get("zones") else "nothing"
        return f"{where} · {100 * layer.settings.get('amount', AMOUNT.start):.0f} %"

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        return self.applied_over(around, layer, pixels, coverage, rect, level,
                                 partial(self.coverage_of, around, layer))

    def applied_over(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect,
                     level: int, cover: Cover) -> EncodedRGB:
        """As `MapKind.applied_over`: it also looks at skin beside what is painted."""
        width, skin = self._width(layer), np.array(layer.settings["skin"], np.float32)
        amount, bounds = float(self.value(layer, "amount")), around.bounds
        sigma = self._dome(layer) / (1 << level)
        wide = rect.expand(reach(sigma)).intersect(bounds.at_level(level))
        lab, band = tone(around.below, wide, level, bounds, width)

        def counts(coarse: Lab, part: Rect, at: int) -> Mask:
            """Skin that is not painted."""
            free = np.clip(1 - cover(part, at) / _UNPAINTED, 0, 1)
            off = ((coarse[..., 1:] - skin[1:]) ** 2).sum(-1) / _LIKE_SKIN**2
            return free * np.exp(-0.5 * off * off) * (coarse[..., 0] > 0.45 * skin[0])

        beside, known = tone_around(around.below, counts, wide, level, bounds, self._sizes(layer))
        excess = np.maximum(band[..., 0] - beside[..., 0] - _KNEE, 0)
        gloss, own = np.clip(excess / (4 * _KNEE), 0, 1).astype(np.float32), rect.slices(wide)
        side = (2 * reach(sigma) + 1,) * 2
        inner = np.clip(2 * cv2.GaussianBlur(gloss, side, sigma, borderType=cv2.BORDER_REPLICATE) - 1, 0, 1)
        lab, band, beside, known, excess, gloss, inner = (
            np.ascontiguousarray(one[own]) for one in (lab, band, beside, known, excess, gloss, inner))
        taken = min(1.0, _GAIN * amount)
        left = excess * (1 - taken * known) * (1 - taken * known * (1 - inner))
        down, share = left - excess, known * gloss
        finer = self._finer(around, rect, level, width, around_px=2 * width)
        change = np.zeros_like(lab)
        change[..., 0] = down
        if level == 0:  # from afar no pores are seen
            change[..., 0] += share * self._pores(around, layer, finer, rect)
        bleached = self._slope(layer) * np.minimum(excess + down, _MOST_BLEACHED)[..., None]
        change[..., 1:] = min(1.0, 1.5 * taken) * share[..., None] * (beside[..., 1:] + bleached - band[..., 1:])
        change *= (1 - finer.hair)[..., None]
        return changed(pixels, lab, change.astype(np.float32), coverage)

    @staticmethod
    def _slope(layer: Layer) -> np.ndarray:
        """a* and b* that a highlight of this light loses for each L* it gains: from the skin to half-way up."""
        skin = np.array(layer.settings["skin"], np.float32)
        half = np.array(layer.settings.get("half", skin), np.float32)
        rise = half[0] - skin[0]
        if rise < 1 or np.hypot(*half[1:]) > np.hypot(*skin[1:]):  # light bleaches; what is redder is another thing
            return np.zeros(2, np.float32)
        return np.clip((half[1:] - skin[1:]) / rise, -1, 1)

    def _finer(self, around: Surroundings, rect: Rect, level: int, width: float, around_px: float) -> "_Finer":
        """What is finer than the tone, how much of it is usual around each pixel, and where it is hair."""
        sigma = around_px / (1 << level)
        wide = rect.expand(reach(sigma)).intersect(around.bounds.at_level(level))
        lab, band = tone(around.below, wide, level, around.bounds, width)
        values = lab[..., 0] - band[..., 0]
        side = (2 * reach(sigma) + 1,) * 2

        def mean(one: np.ndarray) -> np.ndarray:
            return cv2.GaussianBlur(one, side, sigma, borderType=cv2.BORDER_REPLICATE)[rect.slices(wide)]

        inner = np.ascontiguousarray(values[rect.slices(wide)])
        spread = np.sqrt(mean(values * values))
        beard = np.clip(mean((values < -_HAIR[1]).astype(np.float32)) / _BEARD, 0, 1)
        low, high = (own + beard * (among - own) for own, among in zip(_HAIR, _AMONG_HAIR))
        return _Finer(inner, spread, np.clip((-inner - low) / (high - low), 0, 1))

    def _pores(self, around: Surroundings, layer: Layer, finer: "_Finer", rect: Rect) -> np.ndarray:
        """L* that brings the pores of a place to what is usual: its own made less or more, others laid in if none are
        left.
        """
        usual = float(layer.settings.get("texture", 0.0))
        if usual <= 0:
            return np.zeros_like(finer.values)
        times = np.clip(usual / np.maximum(finer.spread, 1e-3), 1 / _PORES_MOST, _PORES_MOST)
        change = (times - 1) * finer.values
        dx, dy = layer.settings.get("pores_from", (0, 0))
        there = Rect(rect.x0 + dx, rect.y0 + dy, rect.x1 + dx, rect.y1 + dy)
        if (dx or dy) and there == there.intersect(around.bounds):
            lack = np.clip(1 - _PORES_MOST * finer.spread / usual, 0, 1)
            if lack.any():
                lab, band = tone(around.below, there, 0, around.bounds, self._width(layer))
                change = change + lack * np.clip(lab[..., 0] - band[..., 0], -_SPECK * usual, _SPECK * usual)
        return float(self.value(layer, "pores")) * change


@dataclass(frozen=True)
class _Finer:
    """values: L* off the tone. spread: its usual size around a pixel. hair: share 0-1 of what is a hair."""

    values: np.ndarray
    spread: np.ndarray
    hair: np.ndarray
