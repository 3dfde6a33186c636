"""What is told at the pointer: how much light is still missing there, and how many passes that takes."""

from dataclasses import dataclass

import cv2
import numpy as np

from lather.core.brush.build_up import coverage_of_pass
from lather.core.brush.values import Brush
from lather.core.colour.lab import srgb_lightness
from lather.core.engine.engine import Engine
from lather.core.job.model import Job, Stroke, freeze_points, new_id
from lather.core.stages.base import Surroundings
from lather.core.stages.even.around import edit_on_grid, needed_around, reach_of
from lather.core.stages.even.kind import EvenKind
from lather.core.stages.light.cells import Field, Seen
from lather.core.stages.light.needed import BARE, LIGHT, LIGHTNESS_SLOPE, NEEDED
from lather.core.tools.lift import AROUND
from lather.core.types import Rect

EVEN_ALREADY = 0.3  # ΔL* under which nobody sees that something is missing
_LEFT = 0.15  # share that may be left when it counts as done
_MOST_PASSES = 99
_OVER_ALL = 0.8  # of what a pass lays down at its middle, on the mean under a soft brush
_SEEN_PX = 24


@dataclass(frozen=True)
class ToGo:
    """light: ΔL* that is missing under the brush, of the sign that the tool lays down (0 if none). passes: strokes
    until hardly any is left, None if they never get there. bare: False where nothing is known, off bare skin.
    around: ΔL* that is missing by the surroundings of the brush, whatever is known.
    """

    light: float
    passes: int | None
    bare: bool = True
    around: float = 0.0

    @property
    def even(self) -> bool:
        """True where nothing more is to be seen."""
        return abs(self.light) < EVEN_ALREADY


def input_of_even(engine: Engine, job: Job) -> Surroundings:
    """What the stage's layers look at."""
    return engine.stack(job, "split").above()


def to_go(engine: Engine, job: Job, brush: Brush, mode: str, sign: int, x: float, y: float) -> ToGo:
    """sign: 1 for lifting, -1 for lowering. mode: of the stroke, AROUND asks the surroundings of the brush itself."""
    kind: EvenKind = engine.kinds["even"]
    around = input_of_even(engine, job)
    radius = brush.size_px / 2
    own = Rect(int(x - radius), int(y - radius), int(x + radius) + 1, int(y + radius) + 1).intersect(around.bounds)
    if own.empty:
        return ToGo(0.0, None, False)
    seen = Seen.input_of(around)
    field = kind.stores.needed.over(seen, reach_of(own, seen.grid)).cut(reach_of(own, seen.grid))
    ys, xs = np.indices(field.values.shape[:2])
    away = np.hypot(field.origin[0] + (xs + 0.5) * field.px - x, field.origin[1] + (ys + 0.5) * field.px - y)
    weight = np.clip(1 - away / max(radius, field.px), 0, 1) * field.values[..., BARE]
    if weight.sum() < 0.05 * max(1.0, float((away < radius).sum())):
        return ToGo(0.0, None, False)
    slope = LIGHTNESS_SLOPE * np.exp(field.values[..., LIGHT] / 3)
    laid = max(0.0, sign * _laid(engine, job, own, around))

    def wanted(missing: np.ndarray) -> float:
        return float((np.maximum(sign * missing, 0) * slope * weight).sum() / weight.sum())

    touch = Stroke(new_id(), "lift", brush, freeze_points([(x, y, 1.0, 0.0)]), mode=AROUND)
    by_around = wanted(needed_around(edit_on_grid(touch, field, around.bounds), field).values)
    needed = by_around if mode == AROUND else wanted(field.values[..., NEEDED])
    light = max(0.0, needed - laid)
    return ToGo(sign * light, _passes(brush, light, needed), True, sign * max(0.0, by_around - laid))


def _laid(engine: Engine, job: Job, rect: Rect, around: Surroundings) -> float:
    """Mean ΔL* that the stage has laid down already."""
    level = max(0, int(np.log2(max(1.0, max(rect.width, rect.height) / _SEEN_PX))))
    part = rect.at_level(level).intersect(around.bounds.at_level(level))
    before, after = around.stage_input(part, level), engine.pixels(job, part, level, "even")
    return float((srgb_lightness(after) - srgb_lightness(before)).mean())


def _passes(brush: Brush, light: float, needed: float) -> int | None:
    """Strokes of the brush until no more than 15 % of what was needed, or nothing that is seen, is left."""
    if light < EVEN_ALREADY:
        return 0
    once = _OVER_ALL * coverage_of_pass(brush)
    if once <= 0:
        return None
    goal = max(EVEN_ALREADY, _LEFT * needed)
    return min(_MOST_PASSES, max(1, int(np.ceil(np.log(goal / light) / np.log(max(1e-6, 1 - once))))))


def blotch_size(field: Field, x: float, y: float) -> float | None:
    """Brush size (px) that covers the blotch at a place: twice its half-height width; None where there is none."""
    place = int((y - field.origin[1]) / field.px), int((x - field.origin[0]) / field.px)
    height, width = field.values.shape[:2]
    if not (0 <= place[0] < height and 0 <= place[1] < width):
        return None
    missing = field.values[..., NEEDED]
    window = (slice(max(0, place[0] - 3), place[0] + 4), slice(max(0, place[1] - 3), place[1] + 4))
    near = missing[window]
    peak = float(near.flat[np.abs(near).argmax()])
    if abs(peak) < 0.01:
        return None
    same = (np.sign(missing) == np.sign(peak)) & (np.abs(missing) >= 0.5 * abs(peak))
    _, labels = cv2.connectedComponents(same.astype(np.uint8))
    number = labels[window].flat[np.abs(near).argmax()]
    return float(2.6 * np.sqrt((labels == number).sum() / np.pi) * field.px)
