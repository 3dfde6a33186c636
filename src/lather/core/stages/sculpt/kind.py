"""Layers of Sculpt: light and shade in stops, as far as they follow the light that is there."""

import numpy as np

from lather.core.job.limits import band
from lather.core.job.model import Layer, Stroke
from lather.core.parameters import Number
from lather.core.phrases import phrase
from lather.core.ranges import SHARE
from lather.core.stages.base import Step, Surroundings
from lather.core.stages.light.cells import Grid
from lather.core.stages.light.kind import LightKind
from lather.core.stages.light.needed import METHOD, faces_key
from lather.core.stages.sculpt.form import FALLS, ON_SKIN, OPEN, RISES, Form
from lather.core.tools.light import ON_SKIN_ONLY
from lather.core.types import Mask, Rect

FULL_STOPS = 1.0  # of a stroke at full coverage
LIGHT, SHADE = 0, 1
_BENDS_FROM = np.float32(0.5)  # of what is allowed
FOLLOWING = Number("following", "Follows the light", SHARE, 0.8, "%", shown_times=100)


class SculptKind(LightKind):
    """Light lands where the form rises towards the light, shade where it falls away; `following` says how strictly.

    All layers of the stage together lay down no more than the kind of job allows. Edges of lips, lids, brows and hair
    are left out, so that no rim is laid on them; a stroke may be for skin only.
    """

    id = "sculpt"
    method = b"sculpt-2" + METHOD
    prepares = True
    parameters = (FOLLOWING,)
    planes = ("light", "shade", "light on skin", "shade on skin")

    def __init__(self, stores=None):
        super().__init__(stores)
        self.form = Form(self.stores.needed)

    def planes_of(self, stroke: Stroke) -> tuple[str, ...]:
        if stroke.tool not in self.planes:
            return self.planes
        return (phrase("%1 on skin", stroke.tool) if stroke.mode == ON_SKIN_ONLY else stroke.tool,)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        seen = around.stage_fingerprint(_wide(around, rect))
        most = [f"{stop:g}" for stop in most_stops(around.job_kind)]
        own = super().fingerprint(around, step, rect) + seen + "|".join(most).encode() + faces_key(around.faces)
        return own + b"".join(self.store.key(layer, rect) for layer in self._earlier(around))

    def prepare(self, around: Surroundings, step: Step, rect: Rect, level: int) -> None:
        self.form.over(around, rect.from_level(level).intersect(around.bounds))

    def stops(self, around: Surroundings, layer: Layer, coverage: Mask, rect: Rect, level: int) -> np.ndarray:
        """Stops that a layer lays down in a rectangle, float32 (h, w), light positive."""
        area = rect.from_level(level).intersect(around.bounds)
        form = self.form.over(around, area).at(rect, level, smooth=True)
        light, shade = self._asked(layer, coverage, form)
        before_light = before_shade = np.float32(0)
        for one in self._earlier(around):
            held = self.coverage_of(around, one, rect, level) * np.float32(one.strength)
            more = self._asked(one, held, form)
            before_light, before_shade = before_light + more[LIGHT], before_shade + more[SHADE]
        most_light, most_shade = most_stops(around.job_kind)
        return (_within(before_light, light, most_light) - _within(before_shade, shade, most_shade)).astype(np.float32)

    @staticmethod
    def _asked(layer: Layer, coverage: Mask, form: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Stops of light and of shade (both positive) that a layer asks for."""
        follows = np.float32(layer.settings.get("following", FOLLOWING.start))
        stay = np.float32(FULL_STOPS) * form[..., OPEN]
        asked = []
        for plane, way in ((LIGHT, RISES), (SHADE, FALLS)):
            cover, on_skin = coverage[plane], coverage[plane + 2]
            if on_skin.any():
                cover = cover + on_skin * form[..., ON_SKIN]
            bound = stay * (1 - follows + follows * form[..., way]) if cover.any() else np.float32(0)
            asked.append(cover * bound)
        return tuple(asked)

    def _earlier(self, around: Surroundings) -> list[Layer]:
        """Layers of the stage beneath this one."""
        return [one for one in around.beneath if isinstance(one, Layer) and one.kind == self.id]


def most_stops(job_kind: str | None) -> tuple[float, float]:
    """Most light and most shade that a kind of job allows, in stops."""
    return band(job_kind, "sculpt_light").high, band(job_kind, "sculpt_shade").high


def _within(before, more, most: float):
    """What may be added to what is there."""
    return _held(before + more, most) - _held(before, most)


def _held(stops, most: float) -> np.ndarray:
    """Never over `most`, which is come to along a bend: cut off there, two paths that meet would leave a plateau with a
    rim.
    """
    over = np.maximum(np.asarray(stops, np.float32) / np.float32(max(most, 1e-6)) - _BENDS_FROM, 0) / (1 - _BENDS_FROM)
    bent = np.float32(most) * (_BENDS_FROM + (1 - _BENDS_FROM) * np.tanh(over))
    return np.where(over > 0, bent, stops).astype(np.float32)


def _wide(around: Surroundings, rect: Rect) -> Rect:
    """Level-0 pixels that say how the form of a rectangle is seen."""
    grid = Grid.of(around.bounds, around.faces)
    cells = grid.cells(rect)
    side = grid.side
    reach = Rect(cells.x0 * side, cells.y0 * side, cells.x1 * side, cells.y1 * side).expand(side)
    return reach.intersect(around.bounds)
