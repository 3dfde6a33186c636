"""Calm: red, yellow or blue in skin, taken back towards the person's own colour; a share of it is left.

What a pigment does to a colour is told from its absorbance: blood takes green and blue light (so that skin turns red
and darker), carotene and an old bruise take blue, what shimmers through thin skin takes red. Only what lies along that
direction, away from the person's skin, is taken back; the light that it took comes back with it.
"""

from functools import lru_cache

import numpy as np

from lather.core import ranges
from lather.core.colour import srgb
from lather.core.colour.lab import srgb_to_lab
from lather.core.job.model import Layer
from lather.core.loops import loop
from lather.core.parameters import Choice, Model, Number
from lather.core.phrases import phrase
from lather.core.stages.adjust.bands import tone, tone_reach
from lather.core.stages.adjust.kind import MASK_TOOLS, AdjustmentKind
from lather.core.stages.adjust.pixels import changed, halves
from lather.core.stages.adjust.values import read_lab
from lather.core.stages.base import Surroundings
from lather.core.stages.colour.match import WIDTH
from lather.core.types import EncodedRGB, Lab, Mask, Rect

_ABSORBS = {"red": (0.16, 1.0, 0.80), "yellow": (0.02, 0.12, 1.0), "blue": (1.0, 0.55, 0.18)}
_COLOURS = {"red": "Red", "yellow": "Yellow", "blue": "Blue"}
_STEP = 0.02
_NARROW, _WIDE = 0.35, 0.75  # cosine of the angle to the direction: nothing, all of it
COLOUR = Choice("colour", "Colour", _COLOURS, "red")
LEAVE = Number("leave", "Leave", ranges.SHARE, 0.4, "%", shown_times=100)
LIGHT = Number("light_back", "Light back", ranges.SHARE, 1.0, "%", shown_times=100)


class CalmKind(AdjustmentKind):
    """toward: colour of the person's own skin, Lab. Without it nothing is done."""

    id = "calm"
    for_skin = True
    levels_within = 0.01  # from far away fewer colours lie inside its window
    method = b"calm-1"
    label, icon = "Calm", "calm"
    hint = "Touch skin as it should be with Pick, then paint where it is too red, yellow or blue. Lips stay."
    tools = (*MASK_TOOLS, "pick")
    by_face = True
    own = (COLOUR, LEAVE, LIGHT, WIDTH, Model("toward", "Towards", read_lab))

    def margin(self, layer: Layer) -> int:
        return tone_reach(float(self.value(layer, WIDTH.id)))

    def neutral(self, layer: Layer) -> bool:
        return "toward" not in layer.settings or float(self.value(layer, "leave")) >= 1

    @classmethod
    def said(cls, layer: Layer) -> str:
        return phrase("%1 · leave %2 %", layer.settings.get("colour", "red"),
                      f"{100 * layer.settings.get('leave', LEAVE.start):.0f}")

    def applied(self, around: Surroundings, layer: Layer, pixels: EncodedRGB, coverage: Mask, rect: Rect, level: int
                ) -> EncodedRGB:
        lab, band = tone(around.below, rect, level, around.bounds, float(self.value(layer, WIDTH.id)))
        if around.zones is not None:  # lips and what is made up on them are nobody's redness
            coverage = coverage * (1 - around.zones.mask("lips", around.faces, rect, level))
        change = taken_back(band, np.array(layer.settings["toward"], np.float32), str(self.value(layer, "colour")),
                            float(self.value(layer, "leave")), float(self.value(layer, "light_back")))
        return changed(pixels, lab, change, coverage)


def taken_back(band: Lab, toward: np.ndarray, colour: str, leave: float, light_back: float) -> Lab:
    """Change in Lab (h, w, 3) that leaves a share of what is redder, yellower or bluer than the skin."""
    way = direction(colour, tuple(float(one) for one in toward))

    def work(band) -> Lab:
        out = np.empty(band.shape, np.float32)
        _take_back(band, np.asarray(toward, np.float32), way, np.float32(1 - leave), np.float32(light_back), out)
        return out

    return halves(work, np.ascontiguousarray(band, np.float32))


@loop("f4[:, :, ::1], f4[::1], f4[::1], f4, f4, f4[:, :, ::1]", fastmath=True)
def _take_back(band, toward, way, taken, light_back, out):  # pragma: no cover - compiled
    zero, one = np.float32(0), np.float32(1)
    length = np.sqrt(way[1] * way[1] + way[2] * way[2])
    for y in range(band.shape[0]):
        for x in range(band.shape[1]):
            off_a, off_b = band[y, x, 1] - toward[1], band[y, x, 2] - toward[2]
            along = (off_a * way[1] + off_b * way[2]) / length
            away = np.sqrt(off_a * off_a + off_b * off_b)
            if along <= zero or away < np.float32(1e-3):
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = zero
                continue
            window = min(max((along / away - np.float32(_NARROW)) / np.float32(_WIDE - _NARROW), zero), one)
            amount = -taken * along / length * window * window * (np.float32(3) - np.float32(2) * window)
            out[y, x, 0] = amount * way[0] * light_back
            out[y, x, 1], out[y, x, 2] = amount * way[1], amount * way[2]


@lru_cache(maxsize=64)
def direction(colour: str, skin: tuple[float, float, float]) -> np.ndarray:
    """Where a pigment moves the colour of skin, in Lab, as long as its step in a* and b* is 1."""
    grid = np.linspace(0.05, 0.95, 12, dtype=np.float32)
    colours = np.stack(np.meshgrid(grid, grid, grid, indexing="ij"), -1).reshape(-1, 3)
    at = colours[np.argmin(((srgb_to_lab(colours) - np.array(skin)) ** 2).sum(-1))]
    less = srgb.encode(srgb.decode(at) * np.exp(-_STEP * np.array(_ABSORBS[colour], np.float32)))
    way = srgb_to_lab(less[None])[0] - srgb_to_lab(at[None])[0]
    return (way / max(1e-9, float(np.hypot(way[1], way[2])))).astype(np.float32)
