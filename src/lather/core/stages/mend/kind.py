"""Mend as a layer kind: sums the patches of its edits onto the picture beneath."""

import hashlib
import threading

from lather.core.job.model import Layer
from lather.core.stages.base import Surroundings, same_beneath
from lather.core.stages.mend.order import EditOrder
from lather.core.stages.mend.patch import Patch, PatchStore
from lather.core.stages.mend.solve import solve_stroke
from lather.core.types import EncodedRGB, Rect


class MendKind:
    """Renders Mend layers; solves each edit once, in order, and keeps its patch."""

    id = "mend"

    def __init__(self):
        self.patches = PatchStore()
        self._orders: dict[str, EditOrder] = {}
        self._order_lock = threading.RLock()  # a layer asks for the orders of those beneath
        self._solve_lock = threading.RLock()  # and for their patches

    def halo(self, layer: Layer, level: int) -> int:
        return 0  # what a heal reads further away is in its own fingerprint

    def touches(self, layer: Layer, rect: Rect) -> bool:
        order = self._orders.get(layer.id)
        if order is not None and order.layer.edits is layer.edits:
            return order.reaches(rect)
        return any(not edit.bounds.intersect(rect).empty for edit in layer.edits)

    def order(self, around: Surroundings, layer: Layer) -> EditOrder:
        with self._order_lock:
            held = self._orders.get(layer.id)
            if held is not None and held.layer.edits is layer.edits and same_beneath(held.beneath, around.beneath):
                return held  # only the name, the switch or the strength is another
            made = EditOrder(layer, around, held)
            self._orders[layer.id] = made
            return made

    def fingerprint(self, around: Surroundings, layer: Layer, rect: Rect) -> bytes:
        order = self.order(around, layer)
        h = hashlib.blake2b(digest_size=16)
        for index in order.reaching(rect):
            h.update(order.fingerprints[index])
        return h.digest()

    def render(self, around: Surroundings, layer: Layer, rect: Rect, level: int) -> EncodedRGB:
        out = around.below(rect, level)
        order = self.order(around, layer)
        indexes = order.reaching(rect.from_level(level))
        self.solve(around, order, indexes)
        for index in indexes:
            self._patch(around, order, int(index)).add_to(out, rect, level)
        return out

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
        return solve_stroke(
            order.layer.edits[index],
            read=lambda rect: self.before(around, order, index, rect),
            original=lambda rect: around.stage_input(rect, 0),
            bounds=around.bounds,
        )

    def before(
        self, around: Surroundings, order: EditOrder, index: int, rect: Rect, level: int = 0
    ) -> EncodedRGB:
        """The layer at full strength as edit number `index` finds it."""
        out = around.below(rect, level)
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
