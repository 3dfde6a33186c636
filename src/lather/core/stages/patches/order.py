"""Which edits of a layer build on which: fingerprints that change only where the picture beneath does.

An edit reads the layer as it was before it, at the place painted and at the place taken from. So it depends on
the earlier edits that reach those places, and on the layers beneath there; on nothing else.
"""

import hashlib
from collections.abc import Callable

import numpy as np
from numba import njit

from lather.core.job.model import Layer, Stroke
from lather.core.stages.base import Surroundings, same_beneath
from lather.core.types import Rect

Reads = Callable[[Stroke], tuple[Rect, Rect]]
"""`reads(edit)`: rectangles inside the picture that it reads: where it lays down, and where it takes from."""


@njit(cache=True, nogil=True)
def _overlapping(rects, count, x0, y0, x1, y1):  # pragma: no cover - compiled
    """Indexes of the first `count` rows (x0, y0, x1, y1) that overlap a rectangle."""
    found = np.empty(count, np.int64)
    n = 0
    for i in range(count):
        if rects[i, 0] < x1 and rects[i, 2] > x0 and rects[i, 1] < y1 and rects[i, 3] > y0:
            found[n] = i
            n += 1
    return found[:n]


@njit(cache=True, nogil=True)
def any_overlap(rects, x0, y0, x1, y1):  # pragma: no cover - compiled
    for i in range(rects.shape[0]):
        if rects[i, 0] < x1 and rects[i, 2] > x0 and rects[i, 1] < y1 and rects[i, 3] > y0:
            return True
    return False


class EditOrder:
    """Places, dependencies and fingerprints of a layer's edits. Immutable once made.

    method: what else decides an edit's pixels: the kind, its version, the layer's settings.
    """

    def __init__(
        self, layer: Layer, around: Surroundings, reads: Reads, method: bytes, earlier: "EditOrder | None" = None
    ):
        self.layer, self.method, self._reads = layer, method, reads
        self.beneath = around.beneath
        edits = layer.edits
        same = 0
        if earlier is not None and earlier.holds_under(around, method):
            known = earlier.layer.edits
            while same < min(len(known), len(edits)) and known[same] is edits[same]:
                same += 1
        self.laid = np.zeros((len(edits), 4), np.int64)
        self.depends: list[np.ndarray] = []
        self.fingerprints: list[bytes] = []
        if same:
            self.laid[:same] = earlier.laid[:same]
            self.depends = earlier.depends[:same]
            self.fingerprints = earlier.fingerprints[:same]
        for index in range(same, len(edits)):
            self._add(index, edits[index], around)

    def holds_under(self, around: Surroundings, method: bytes) -> bool:
        """True if nothing but the list of edits can have changed since."""
        return self.method == method and same_beneath(self.beneath, around.beneath)

    def _add(self, index: int, stroke: Stroke, around: Surroundings) -> None:
        wide, taken = self._reads(stroke)
        self.laid[index] = stroke.bounds.intersect(around.bounds)
        depends = _overlapping(self.laid, index, *wide)
        if not taken.empty:
            depends = np.union1d(depends, _overlapping(self.laid, index, *taken))
        h = hashlib.blake2b(self.method + stroke.digest, digest_size=16)
        for rect in (wide, taken):
            if not rect.empty:
                h.update(around.below_fingerprint(rect))
        for other in depends:
            h.update(self.fingerprints[other])
        self.depends.append(depends)
        self.fingerprints.append(h.digest())

    def reaching(self, rect: Rect) -> np.ndarray:
        """Indexes, in order, of the edits that lay something inside a level-0 rectangle."""
        return _overlapping(self.laid, len(self.laid), *rect)

    def needed(self, indexes, have) -> list[int]:
        """The given edits and all they build on, in order, less those for which `have(fingerprint)`."""
        wanted, waiting = set(), [int(i) for i in indexes]
        while waiting:
            index = waiting.pop()
            if index in wanted or have(self.fingerprints[index]):
                continue
            wanted.add(index)
            waiting.extend(int(i) for i in self.depends[index])
        return sorted(wanted)
