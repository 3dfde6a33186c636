"""A layer kind that sums the patches of its edits onto the picture beneath. Stages say how one edit is solved."""

import hashlib
import json
import threading
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import ClassVar

import numpy as np

from lather.core.job.model import Layer, Stroke
from lather.core.recent import Recent
from lather.core.stages.base import STILL, Finished, LayerKind, LiveEdit, Painting, Step, Surroundings
from lather.core.stages.patches.moved import moved_fence, moved_stroke
from lather.core.stages.patches.order import EditOrder, any_overlap
from lather.core.stages.patches.patch import Patch
from lather.core.stages.patches.solved import Solved
from lather.core.stages.stores import Stores
from lather.core.types import EncodedRGB, Rect

Read = Callable[[Rect], EncodedRGB]

_LAYERS_KEPT = 128  # tables of layers: more than any job works on at a time


class PatchKind(LayerKind):
    """Solves each edit once, in order, and keeps its patch. Subclasses give `id` and `method`, and override the rest.

    method: goes up when the same edit would give other pixels.
    """

    method: ClassVar[bytes] = b""
    prepares = True

    def __init__(self, stores: Stores | None = None):
        self.patches = (stores or Stores()).patches
        self._orders = Recent(_LAYERS_KEPT)
        self._boxes = Recent(_LAYERS_KEPT)
        self._methods = Recent(_LAYERS_KEPT)
        self._above = Recent(_LAYERS_KEPT)
        self._order_lock = threading.RLock()  # a layer asks for the orders of those beneath
        self._solve_lock = threading.RLock()  # and for their patches

    # what a stage may do in its own way

    def add_base(
        self, out: EncodedRGB, around: Surroundings, layer: Layer, rect: Rect, level: int, strength: float
    ) -> None:
        """Add to the picture beneath what the layer does before its edits."""

    def reading(self, layer: Layer, read: Read, bounds: Rect) -> Read:
        """The picture as edits of this layer see it (a band of it, for instance)."""
        return read

    def reads_of(self, layer: Layer, stroke: Stroke, bounds: Rect) -> tuple[Rect, Rect]:
        """Rectangles inside the picture that an edit reads: where it lays down, and where it takes from."""
        raise NotImplementedError

    def solve_edit(self, layer: Layer, stroke: Stroke, *, read: Read, original: Read, bounds: Rect) -> Patch:
        """The patch of an edit. read, original: what `reading` made of the layer and of the stage's input."""
        raise NotImplementedError

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how) -> Solved:
        """Changes of a stroke in progress with the coverage so far, as `mend.solve.solve_coverage` takes it."""
        raise NotImplementedError

    def puller(self, layer: Layer, stroke: Stroke):
        """A state that pulls colour along under the pen (see `DragState`), or None for a stroke that does not."""
        return None

    def finish(self, painting: Painting, stroke: Stroke, read: Read) -> Finished:
        """The edit that a stroke becomes. read: the layer before it."""
        return Finished(stroke)

    # what all share

    def touches(self, step: Step, rect: Rect) -> bool:
        layer = step.layer
        held = self._boxes.get(layer.id)
        if held is None or held[0] is not layer.edits:
            boxes = np.array([edit.bounds for edit in layer.edits], np.int64).reshape(-1, 4)
            held = (layer.edits, boxes)
            self._boxes.put(layer.id, held)
        return any_overlap(held[1], *rect)

    def _method(self, layer: Layer) -> bytes:
        """What decides an edit's pixels besides itself and what lies beneath."""
        if not layer.settings and layer.fence is None:
            return self.method
        held = self._methods.get(layer.id)
        if held is None or held[0] is not layer.settings or held[1] is not layer.fence:
            said = f"{json.dumps(layer.settings, sort_keys=True)}|{layer.fence}"
            made = self.method + hashlib.blake2b(said.encode(), digest_size=16).digest()
            held = (layer.settings, layer.fence, made)
            self._methods.put(layer.id, held)
        return held[2]

    def above(self, around: Surroundings, layer: Layer) -> Layer:
        """The layer with its edits where the picture beneath shows what they were made for: they are kept in the photo,
        and their patches lie above what moves it.
        """
        if around.warp is STILL:
            return layer
        held = self._above.get(layer.id)
        if held is None or held[0] is not layer.edits or held[1] is not around.warp:
            edits = tuple(moved_stroke(edit, around.warp) for edit in layer.edits)
            held = (layer.edits, around.warp, edits)
            self._above.put(layer.id, held)
        fence = None if layer.fence is None else moved_fence(layer.fence, around.warp)
        return replace(layer, edits=held[2], fence=fence)

    def order(self, around: Surroundings, layer: Layer) -> EditOrder:
        """Which edit of a layer sees which, and what each is known by."""
        method = self._method(layer)
        layer = self.above(around, layer)
        with self._order_lock:
            known = self._orders.get(layer.id) or ()
            for held in known:
                if held.layer.edits is layer.edits and held.holds_under(around, method):
                    return held  # only the name, the switch or the strength is another
            earlier = known[0] if known else None
            made = EditOrder(layer, around, lambda edit: self.reads_of(layer, edit, around.bounds), method, earlier)
            self._orders.put(layer.id, (made, *known[:1]))  # a draft goes by the one before
            return made

    def fingerprint(self, around: Surroundings, step: Step, rect: Rect) -> bytes:
        order = self.order(around, step.layer)
        h = hashlib.blake2b(digest_size=16)
        for index in order.reaching(rect):
            h.update(order.key(int(index)))
        return h.digest()

    def render(self, around: Surroundings, step: Step, rect: Rect, level: int) -> EncodedRGB:
        out = around.below(rect, level)
        self.add_base(out, around, step.layer, rect, level, step.strength)
        order = self.order(around, step.layer)
        indexes = order.reaching(rect.from_level(level))
        self.solve(around, order, indexes)
        for index in indexes:
            self._patch(around, order, int(index)).add_to(out, rect, level, step.strength)
        return out

    def prepare(self, around: Surroundings, step: Step, rect: Rect, level: int) -> None:
        order = self.order(around, step.layer)
        self.solve(around, order, order.reaching(rect.from_level(level)))

    def kept(self, around: Surroundings, step: Step) -> Mapping:
        """{fingerprint: PNG pieces} of the patches that are solved, for the job file."""
        order = self.order(around, step.layer)
        pieces = {key: self.patches.encoded(key) for key in map(order.key, range(len(order)))}
        return {key: encoded for key, encoded in pieces.items() if encoded is not None}

    def offer(self, kept: Mapping) -> None:
        """Patches of a job file, taken where an edit has their fingerprint."""
        self.patches.offer_encoded(kept)

    def live(self, painting: Painting) -> LiveEdit:
        from lather.core.stages.patches.live import LivePatch  # it knows this kind

        return LivePatch(self, painting)

    def solve(self, around: Surroundings, order: EditOrder, indexes) -> None:
        """Make the patches of some edits and of all they build on."""
        bounds = around.bounds
        missing = order.needed(indexes, lambda index: self.patches.get(order.key(index), bounds) is not None)
        if not missing:
            return
        with self._solve_lock:
            for index in missing:
                if self.patches.get(order.key(index), bounds) is None:
                    self.patches.put(order.key(index), self._solve_one(around, order, index))

    def _solve_one(self, around: Surroundings, order: EditOrder, index: int) -> Patch:
        self.patches.solved += 1
        layer = order.layer
        patch = self.solve_edit(
            layer,
            layer.edits[index],
            read=self.reading(layer, lambda rect: self.before(around, order, index, rect), around.bounds),
            original=self.reading(layer, lambda rect: around.stage_input(rect, 0), around.bounds),
            bounds=around.bounds,
        )
        if layer.fence is None:
            return patch
        return patch.times(layer.fence.coverage)

    def before(
        self, around: Surroundings, order: EditOrder, index: int, rect: Rect, level: int = 0
    ) -> EncodedRGB:
        """The layer at full strength as edit number `index` finds it."""
        out = around.below(rect, level)
        self.add_base(out, around, order.layer, rect, level, 1.0)
        for other in order.reaching(rect.from_level(level)):
            if other >= index:
                break
            self._patch(around, order, int(other)).add_to(out, rect, level)
        return out

    def _patch(self, around: Surroundings, order: EditOrder, index: int) -> Patch:
        patch = self.patches.get(order.key(index), around.bounds)
        if patch is None:  # dropped from memory since, or reached only through a wider read
            patch = self._solve_one(around, order, index)
            self.patches.put(order.key(index), patch)
        return patch
