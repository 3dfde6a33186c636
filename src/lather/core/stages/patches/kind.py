"""A layer kind that sums the patches of its edits onto the picture beneath. Stages say how one edit is solved."""

import hashlib
import json
import threading
from collections.abc import Callable

import numpy as np

from lather.core.job.model import Layer, Stroke
from lather.core.stages.base import Surroundings
from lather.core.stages.patches.order import EditOrder, any_overlap
from lather.core.stages.patches.patch import Patch, PatchStore
from lather.core.types import EncodedRGB, Rect

Read = Callable[[Rect], EncodedRGB]


class PatchKind:
    """Solves each edit once, in order, and keeps its patch. Subclasses give `id` and `method`, and override the rest.

    method: goes up when the same edit would give other pixels.
    """

    id = ""
    method = b""

    def __init__(self):
        self.patches = PatchStore()
        self._orders: dict[str, tuple[EditOrder, ...]] = {}
        self._boxes: dict[str, tuple] = {}
        self._methods: dict[str, tuple] = {}
        self._order_lock = threading.RLock()  # a layer asks for the orders of those beneath
        self._solve_lock = threading.RLock()  # and for their patches

    # what a stage may do in its own way

    def halo(self, layer: Layer, level: int) -> int:
        return 0  # what an edit reads further away is in its own fingerprint

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

    def solve_part(self, layer: Layer, stroke: Stroke, coverage_of, area: Rect, **how):
        """Changes of a stroke in progress with the coverage so far, as `mend.solve.solve_coverage` gives them."""
        raise NotImplementedError

    def puller(self, layer: Layer, stroke: Stroke):
        """A state that pulls colour along under the pen (see `DragState`), or None for a stroke that does not."""
        return None

    # what all share

    def touches(self, layer: Layer, rect: Rect) -> bool:
        held = self._boxes.get(layer.id)
        if held is None or held[0] is not layer.edits:
            boxes = np.array([edit.bounds for edit in layer.edits], np.int64).reshape(-1, 4)
            held = self._boxes[layer.id] = (layer.edits, boxes)
        return any_overlap(held[1], *rect)

    def _method(self, layer: Layer) -> bytes:
        """What decides an edit's pixels besides itself and what lies beneath."""
        if not layer.settings and layer.fence is None:
            return self.method
        held = self._methods.get(layer.id)
        if held is None or held[0] is not layer.settings or held[1] is not layer.fence:
            said = f"{json.dumps(layer.settings, sort_keys=True)}|{layer.fence}"
            made = self.method + hashlib.blake2b(said.encode(), digest_size=16).digest()
            held = self._methods[layer.id] = (layer.settings, layer.fence, made)
        return held[2]

    def order(self, around: Surroundings, layer: Layer) -> EditOrder:
        method = self._method(layer)
        with self._order_lock:
            known = self._orders.get(layer.id, ())
            for held in known:
                if held.layer.edits is layer.edits and held.holds_under(around, method):
                    return held  # only the name, the switch or the strength is another
            earlier = known[0] if known else None
            made = EditOrder(layer, around, lambda edit: self.reads_of(layer, edit, around.bounds), method, earlier)
            self._orders[layer.id] = (made, *known[:1])  # a draft goes by the one before
            return made

    def fingerprint(self, around: Surroundings, layer: Layer, rect: Rect) -> bytes:
        order = self.order(around, layer)
        h = hashlib.blake2b(digest_size=16)
        for index in order.reaching(rect):
            h.update(order.fingerprints[index])
        return h.digest()

    def render(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> EncodedRGB:
        out = around.below(rect, level)
        self.add_to(out, around, layer, rect, level, 1.0)
        return out

    def add_to(
        self, out: EncodedRGB, around: Surroundings, layer: Layer, rect: Rect, level: int, strength: float
    ) -> None:
        self.add_base(out, around, layer, rect, level, strength)
        order = self.order(around, layer)
        indexes = order.reaching(rect.from_level(level))
        self.solve(around, order, indexes)
        for index in indexes:
            self._patch(around, order, int(index)).add_to(out, rect, level, strength)

    def prepare(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> None:
        """Work out all that `render` will need of what does not follow from the pixels beneath alone."""
        order = self.order(around, layer)
        self.solve(around, order, order.reaching(rect.from_level(level)))

    def solve(self, around: Surroundings, order: EditOrder, indexes) -> None:
        """Make the patches of some edits and of all they build on."""
        bounds = around.bounds
        missing = order.needed(indexes, lambda key: self.patches.get(key, bounds) is not None)
        if not missing:
            return
        with self._solve_lock:
            for index in missing:
                if self.patches.get(order.fingerprints[index], bounds) is None:
                    self.patches.put(order.fingerprints[index], self._solve_one(around, order, index))

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
        patch = self.patches.get(order.fingerprints[index], around.bounds)
        if patch is None:  # dropped from memory since, or reached only through a wider read
            patch = self._solve_one(around, order, index)
            self.patches.put(order.fingerprints[index], patch)
        return patch


