"""Three small stages that only tests have: one of maps, one of adjustments, one that moves the picture.

Each is made by the recipe of docs/architecture.md ("add a stage"): a kind, a `StageInfo`, a line in the registry.
"""

import unittest
from dataclasses import dataclass
from unittest import mock

import cv2
import numpy as np

from lather.core import ranges
from lather.core.brush.values import Brush
from lather.core.job import known_kinds
from lather.core.job.model import Layer, new_id
from lather.core.parameters import EVERYWHERE, Choice, Flag, Number
from lather.core.stages import registry
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.base import LayerKind, LiveEdit, Painting, Step, Surroundings, Warp
from lather.core.stages.example import FENCE, HEIGHT, WIDTH, edit
from lather.core.stages.info import StageInfo
from lather.core.stages.maps.kind import MapKind
from lather.core.stages.patches.live import LivePatch
from lather.core.tools.base import Tool
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect

BRIGHTEN = Tool("toy_brighten", "Brighten", "lays light down", Brush(size_px=60, edge=0.8, flow=0.3), icon="grain")
MASK = Tool("toy_mask", "Mask", "paints where the layer acts", Brush(size_px=90, edge=0.6), icon="area")


class BrightenKind(MapKind):
    id = "toy_light"
    method = b"toy-light-1"

    def applied(self, around, layer, pixels, coverage, rect, level):
        return pixels + np.float32(0.12) * coverage[..., None] * pixels


class TintKind(AdjustmentKind):
    id = "toy_tint"
    method = b"toy-tint-1"
    label = "Warmer"
    own = (
        Number("warmth", "Warmth", ranges.SHARE, 0.5, "%", shown_times=100),
        Choice("side", "Side", {"red": "Red", "blue": "Blue"}, "red"), Flag("gentle", "Gently"),
    )

    def neutral(self, layer):
        return layer.settings.get("warmth") == 0

    def applied(self, around, layer, pixels, coverage, rect, level):
        amount = np.float32(0.1 * layer.settings.get("warmth", 0.5)) * (0.5 if layer.settings.get("gentle") else 1)
        out = pixels.copy()
        out[..., 0 if layer.settings.get("side", "red") == "red" else 2] += amount * coverage
        return out


@dataclass(frozen=True)
class Shift:
    """The whole picture moved sideways."""

    dx: float
    bounds: Rect

    def to_below(self, xy):
        return xy - np.array([self.dx, 0.0])

    def to_above(self, xy):
        return xy + np.array([self.dx, 0.0])

    def reads(self, rect: Rect) -> Rect:
        return Rect(rect.x0 - int(abs(self.dx)) - 3, rect.y0, rect.x1 + int(abs(self.dx)) + 3, rect.y1)

    spreads = reads

    def resample(self, read, rect: Rect, level: int):
        dx = self.dx / (1 << level)
        whole = self.bounds.at_level(level)
        reach = int(np.ceil(abs(dx))) + 2
        wide = Rect(rect.x0 - reach, rect.y0, rect.x1 + reach, rect.y1).intersect(whole)
        xs, ys = np.meshgrid(np.arange(rect.x0, rect.x1) - dx - wide.x0, np.arange(rect.y0, rect.y1) - wide.y0)
        return cv2.remap(read(wide, level), xs.astype(np.float32), ys.astype(np.float32), cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)


class ShiftKind(LayerKind):
    """All layers of the stage fold into one field; strengths scale it."""

    id = "toy_shift"
    folds = True
    levels_within = 0.02
    parameters = (EVERYWHERE, Number("dx", "Sideways", ranges.Range(-100, 100, "px"), 10.0, "px"))

    def __init__(self, stores=None):
        """It keeps nothing."""

    def warp(self, step: Step) -> Warp:
        dx = sum(layer.strength * layer.settings["dx"] for layer in step.layers)
        return Shift(step.stage.strength * dx, Rect(0, 0, WIDTH, HEIGHT))

    def needs(self, step: Step, rect: Rect) -> Rect:
        return self.warp(step).reads(rect)

    def touches(self, step: Step, rect: Rect) -> bool:
        return True

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        return repr(self.warp(step)).encode()

    def render(self, around: Surroundings, step: Step, rect: Rect, level: int):
        return self.warp(step).resample(around.below, rect, level)

    def live(self, painting: Painting) -> LiveEdit:
        return LivePatch(self, painting)


def _line(y: float):
    return [(60 + 24 * i, y + 5 * i) for i in range(18)]


MAPPING = StageInfo(
    "colour", "Colour", BrightenKind, "Light", (BRIGHTEN.id, "give_back"),
    lambda: (
        Layer(new_id(), "Light", "toy_light", edits=(
            edit(BRIGHTEN.id, _line(120), size=120), edit(BRIGHTEN.id, _line(160), size=60, fence=FENCE),
            edit("give_back", _line(140)[:6], size=40), edit(BRIGHTEN.id, _line(300), size=200, flow=0.2),
        )),
        Layer(new_id(), "More", "toy_light", strength=0.6, fence=FENCE, edits=(edit(BRIGHTEN.id, _line(200), size=90),
                                                                              edit("give_back", _line(220)[:4]))),
    ),
)
ADJUSTING = StageInfo(
    "crisp", "Crisp", TintKind, "Warmer", (MASK.id, "give_back"),
    lambda: (
        Layer(new_id(), "All over", "toy_tint", settings={"everywhere": True, "warmth": 0.8, "side": "blue"},
              edits=(edit("give_back", _line(200), size=80), edit(MASK.id, _line(210)[:5], size=40))),
        Layer(new_id(), "Cheek", "toy_tint", strength=0.7, settings={"warmth": 1.0, "side": "red"},
              edits=(edit(MASK.id, _line(90), size=110), edit("give_back", _line(100)[:5], size=30))),
    ),
)
MOVING = StageInfo(
    "finish", "Finish", ShiftKind, "Aside", (),
    lambda: tuple(Layer(new_id(), f"Aside {dx}", "toy_shift", strength=s, settings={"everywhere": True, "dx": dx})
                  for dx, s in ((20, 1.0), (8, 0.5))),
)


def with_toys(case: unittest.TestCase, *infos: StageInfo) -> list[StageInfo]:
    """Lets the toy stages in, in the place of real ones, until the end of a test; returns those that are painted on."""
    chosen = infos or (MAPPING, ADJUSTING, MOVING)
    stages = [*registry.STAGES]
    for target, values in ((TOOLS, {tool.id: tool for tool in (BRIGHTEN, MASK)}), (known_kinds.KINDS, {})):
        patch = mock.patch.dict(target, values)
        patch.start()
        case.addCleanup(patch.stop)
    case.addCleanup(registry.STAGES.__setitem__, slice(None), stages)
    for info in chosen:
        registry.add(info)  # the line that a stage has in the registry
    return [info for info in chosen if info.id != MOVING.id]
