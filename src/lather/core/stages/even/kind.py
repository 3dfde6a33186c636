"""Layers of Even: light in stops, laid down as far as it is needed, or as painted."""

from dataclasses import dataclass

import numpy as np

from lather.core.brush.coverage import fenced, stroke_coverage
from lather.core.job.model import Layer, Stroke
from lather.core.levels import halve
from lather.core.parameters import Choice
from lather.core.phrases import phrase
from lather.core.stages.base import LiveEdit, Painting, Step, Surroundings
from lather.core.stages.even.around import coverage_on_grid, edit_on_grid, needed_around, reach_of
from lather.core.stages.light.cells import Field, Seen
from lather.core.stages.light.exposure import exposed
from lather.core.stages.light.kind import LightKind
from lather.core.stages.light.needed import METHOD, NEEDED, faces_key
from lather.core.stages.maps.kind import Cover, LiveMap
from lather.core.tools.lift import AROUND, FREE
from lather.core.types import EncodedRGB, Mask, Rect

FREE_STOPS = 1.0  # of a free stroke at full coverage
_STOPS = np.float32(1 / np.log(2))
BOTH, LIFTING, LOWERING = "both", "lift", "lower"
_SIDE = Choice("side", "This layer", {BOTH: "Lifts and lowers", LIFTING: "Lifts only", LOWERING: "Lowers only"}, BOTH)
LIFTED, LOWERED, FREE_LIFTED, FREE_LOWERED = range(4)


class EvenKind(LightKind):
    """Assisted strokes build coverage, and lay down coverage × needed light of their sign: they come near what is
    needed and never pass it. What is needed follows from the stage's input, so that they follow later mends.

    Of strokes as around, each knows what it needs from its own surroundings, and goes on from what the others left.
    """

    id = "even"
    method = b"even-1" + METHOD
    prepares = True
    parameters = (_SIDE,)
    planes = ("lift", "lower", "free lift", "free lower")

    def planes_of(self, stroke: Stroke) -> tuple[str, ...]:
        if stroke.tool == "give_back":
            return self.planes
        if stroke.mode == AROUND:
            return ()
        if stroke.tool == "even_area":
            return ("lift", "lower")
        return (phrase("free %1", stroke.tool) if stroke.mode == FREE else stroke.tool,)

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        """Says what the needed light is made from as well: that reaches further than the pixels do."""
        own = super().fingerprint(around, step, rect)
        if not any(edit.mode != FREE for edit in step.layer.edits):
            return own
        seen = Seen.input_of(around)
        reads = reach_of(rect, seen.grid).intersect(around.bounds)
        for edit in self._reaching(step.layer, rect):
            reads = reads.union(reach_of(edit.bounds, seen.grid)).intersect(around.bounds)
        return own + _field_key(seen, reads)

    def prepare(self, around: Surroundings, step: Step, rect: Rect, level: int) -> None:
        if any(edit.mode != FREE for edit in step.layer.edits):
            area = rect.from_level(level).intersect(around.bounds)
            self.stores.needed.over(Seen.input_of(around), area)
            self._around_edits(around, step.layer, area, level)

    # what is laid down

    def stops(self, around: Surroundings, layer: Layer, coverage: Mask, rect: Rect, level: int) -> np.ndarray:
        """Stops that a layer lays down in a rectangle, float32 (h, w), lighter positive."""
        area = rect.from_level(level).intersect(around.bounds)
        return self.stops_with(around, layer, coverage, self._around_edits(around, layer, area, level), rect, level)

    def stops_with(self, around: Surroundings, layer: Layer, coverage: Mask, edits: "list[_Around]", rect: Rect,
                   level: int) -> np.ndarray:
        """Exposure (h, w). edits: those as around, in their order."""
        strength = np.float32(layer.strength)
        total = np.zeros(coverage.shape[1:], np.float32)
        if coverage[: LOWERED + 1].any():
            area = rect.from_level(level).intersect(around.bounds)
            field = self.stores.needed.over(Seen.input_of(around), area).channel(NEEDED)
            needed = _of_side(field.at(rect, level)[..., 0], layer)
            total = coverage[LIFTED] * np.maximum(needed, 0) + coverage[LOWERED] * np.minimum(needed, 0)
        stops = _STOPS * total
        if coverage[FREE_LIFTED:].any():
            free = coverage[FREE_LIFTED] - coverage[FREE_LOWERED]
            stops += np.float32(FREE_STOPS) * _of_side(free, layer)
        if edits:
            own = np.zeros_like(total)
            for edit in edits:
                own = edit.laid_on(own, total / strength, rect, level)
            stops += _STOPS * strength * _of_side(own, layer)
        return stops

    def _laid_on(self, around: Surroundings, step: Step, cover: Cover, rect: Rect, level: int) -> EncodedRGB:
        area = rect.from_level(level).intersect(around.bounds)
        if not self._reaching(step.layer, area):
            return super()._laid_on(around, step, cover, rect, level)
        coverage = cover(rect, level) * np.float32(step.strength)
        return self.applied(around, step.layer, around.below(rect, level), coverage, rect, level)

    @staticmethod
    def _reaching(layer: Layer, area: Rect) -> list[Stroke]:
        """Edits as around that reach a level-0 rectangle, and what gives back after the first of them."""
        if not any(edit.mode == AROUND for edit in layer.edits):
            return []
        reaching = [edit for edit in layer.edits if not edit.bounds.intersect(area).empty]
        first = next((n for n, edit in enumerate(reaching) if edit.mode == AROUND), len(reaching))
        return [edit for edit in reaching[first:] if edit.mode == AROUND or edit.tool == "give_back"]

    def _around_edits(self, around: Surroundings, layer: Layer, area: Rect, level: int) -> "list[_Around]":
        made = []
        for edit in self._reaching(layer, area):
            target = None if edit.tool == "give_back" else self._target(around, edit)
            made.append(_Around(edit, target, _halved(_inside(layer, stroke_coverage(edit, area), area), level)))
        return made

    def _target(self, around: Surroundings, edit: Stroke) -> Field:
        """What an edit needs by its surroundings."""
        seen = Seen.input_of(around)
        reads = reach_of(edit.bounds, seen.grid).intersect(around.bounds)
        field = self.stores.needed.over(seen, reads).cut(reads)
        values = self.stores.needed.kept(
            ("around", edit.digest, _field_key(seen, reads)),
            lambda: needed_around(edit_on_grid(edit, field, around.bounds), field).values)
        return Field(values, field.origin, field.px)

    def live(self, painting: Painting) -> LiveEdit:
        layer, stroke = painting.step.layer, painting.stroke
        among = stroke.tool == "give_back" and any(edit.mode == AROUND for edit in layer.edits)
        return LiveAround(self, painting) if stroke.mode == AROUND or among else LiveMap(self, painting)


@dataclass(frozen=True)
class _Around:
    """An edit as around over a rectangle of a level. target: what it needs, None for what gives back."""

    edit: Stroke
    target: Field | None
    cover: Mask

    def laid_on(self, own: np.ndarray, known: np.ndarray, rect: Rect, level: int) -> np.ndarray:
        """What all of them come to with this one. own: so far; known: what assisted strokes lay here."""
        if self.target is None:
            return own * (1 - self.cover)
        missing = self.target.at(rect, level)[..., 0] - own - known
        sign = {"lift": np.maximum, "lower": np.minimum}.get(self.edit.tool)
        return own + self.cover * (missing if sign is None else sign(missing, 0))


class LiveAround(LiveMap):
    """A stroke as around under the pen: what it needs is asked anew as it grows."""

    def pixels(self, rect: Rect, level: int) -> EncodedRGB:
        around, layer, kind = self._painting.around, self._before, self._kind
        target = None
        if self.stroke.tool != "give_back":
            seen = Seen.input_of(around)
            reads = reach_of(self.laid, seen.grid).intersect(around.bounds)
            field = kind.stores.needed.over(seen, reads).cut(reads)
            painted = fenced(self._own.cut(self.laid), self.stroke, self.laid)
            target = needed_around(coverage_on_grid(painted, self.laid, field), field)
        area = rect.from_level(level).intersect(around.bounds)
        own = _inside(layer, fenced(self._own.cut(area), self.stroke, area), area)
        edits = [*kind._around_edits(around, layer, area, level), _Around(self.stroke, target, _halved(own, level))]
        cover = self.coverage(rect, level) * np.float32(layer.strength)
        return exposed(around.below(rect, level), kind.stops_with(around, layer, cover, edits, rect, level))


def _of_side(light: np.ndarray, layer: Layer) -> np.ndarray:
    """What of an exposure a layer takes."""
    side = layer.settings.get("side", BOTH)
    return light if side == BOTH else np.maximum(light, 0) if side == LIFTING else np.minimum(light, 0)


def _inside(layer: Layer, cover: Mask, area: Rect) -> Mask:
    return cover if layer.fence is None else cover * layer.fence.coverage(area)


def _halved(cover: Mask, level: int) -> Mask:
    for _ in range(level):
        cover = halve(cover)
    return cover


def _field_key(seen: Seen, reads: Rect) -> bytes:
    cells = seen.grid.cells(reads)
    side = seen.grid.side
    wide = Rect(cells.x0 * side, cells.y0 * side, cells.x1 * side, cells.y1 * side).expand(side // 2)
    return seen.fingerprint(wide.intersect(seen.bounds)) + faces_key(seen.faces)
