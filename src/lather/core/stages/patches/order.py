"""Which edits of a layer build on which: fingerprints that change only where the picture beneath does.

An edit reads the layer as it was before it, at the place painted and at the place taken from. So it depends on
the earlier edits that reach those places, and on the layers beneath there; on nothing else.
"""

import hashlib
import threading
from collections.abc import Callable

import numpy as np

from lather.core.job.model import Layer, Stroke
from lather.core.loops import loop
from lather.core.stages.base import Surroundings, same_beneath
from lather.core.types import Rect

Reads = Callable[[Stroke], tuple[Rect, Rect]]
"""`reads(edit)`: rectangles inside the picture that it reads: where it lays down, and where it takes from."""


@loop("i8[:, ::1], i8, i8, i8, i8, i8")
def _overlapping(rects, count, x0, y0, x1, y1):  # pragma: no cover - compiled
    """Indexes of the first `count` rows (x0, y0, x1, y1) that overlap a rectangle."""
    found = np.empty(count, np.int64)
    n = 0
    for i in range(count):
        if rects[i, 0] < x1 and rects[i, 2] > x0 and rects[i, 1] < y1 and rects[i, 3] > y0:
            found[n] = i
            n += 1
    return found[:n]


@loop("i8[:, ::1], i8, i8, i8, i8")
def any_overlap(rects, x0, y0, x1, y1):  # pragma: no cover - compiled
    for i in range(rects.shape[0]):
        if rects[i, 0] < x1 and rects[i, 2] > x0 and rects[i, 1] < y1 and rects[i, 3] > y0:
            return True
    return False


class EditOrder:
    """Places, dependencies and fingerprints of a layer's edits. Fingerprints are worked out as they are asked for: a
    slider of a layer beneath changes them all, but only those in sight are wanted at once.

    method: what else decides an edit's pixels: the kind, its version, the layer's settings.
    """

    def __init__(
        self, layer: Layer, around: Surroundings, reads: Reads, method: bytes, earlier: "EditOrder | None" = None
    ):
        self.layer, self.method = layer, method
        self.beneath, self._around = around.beneath, around
        edits = layer.edits
        same = 0
        if earlier is not None and earlier.holds_reads(method, around):
            known = earlier.layer.edits
            while same < min(len(known), len(edits)) and known[same] is edits[same]:
                same += 1
        self.laid = np.zeros((len(edits), 4), np.int64)
        self._reads: list[tuple[Rect, Rect]] = []
        self._depends: list[np.ndarray | None] = [None] * len(edits)
        self._keys: list[bytes | None] = [None] * len(edits)
        self._lock = threading.RLock()
        if same:
            self.laid[:same] = earlier.laid[:same]
            self._reads = earlier._reads[:same]
            self._depends[:same] = earlier._depends[:same]
            if same_beneath(self.beneath, earlier.beneath):
                self._keys[:same] = earlier._keys[:same]
        for index in range(same, len(edits)):
            self.laid[index] = edits[index].bounds.intersect(around.bounds)
            self._reads.append(reads(edits[index]))

    def holds_reads(self, method: bytes, around: Surroundings) -> bool:
        """True if an edit still reads the same places."""
        return self.method == method and self._around.bounds == around.bounds

    def holds_under(self, around: Surroundings, method: bytes) -> bool:
        """True if nothing but the list of edits can have changed since."""
        return self.method == method and same_beneath(self.beneath, around.beneath)

    def __len__(self) -> int:
        return len(self._keys)

    def _depends_of(self, index: int) -> np.ndarray:
        """Earlier edits that an edit sees."""
        depends = self._depends[index]
        if depends is None:
            wide, taken = self._reads[index]
            depends = _overlapping(self.laid, index, *wide)
            if not taken.empty:
                depends = np.union1d(depends, _overlapping(self.laid, index, *taken))
            self._depends[index] = depends
        return depends

    def key(self, index: int) -> bytes:
        """Fingerprint of an edit's pixels."""
        held = self._keys[index]
        if held is not None:
            return held
        with self._lock:  # of two threads that need it one works it out; layers only ever ask those beneath
            for wanted in self.needed((index,), lambda i: self._keys[i] is not None):
                self._keys[wanted] = self._made(wanted)
            return self._keys[index]

    def _made(self, index: int) -> bytes:
        h = hashlib.blake2b(self.method + self.layer.edits[index].digest, digest_size=16)
        for rect in self._reads[index]:
            if not rect.empty:
                h.update(self._around.below_fingerprint(rect))
        for other in self._depends_of(index):
            h.update(self._keys[other])
        return h.digest()

    def reaching(self, rect: Rect) -> np.ndarray:
        """Indexes, in order, of the edits that lay something inside a level-0 rectangle."""
        return _overlapping(self.laid, len(self.laid), *rect)

    def needed(self, indexes, have: Callable[[int], bool]) -> list[int]:
        """The given edits and all they build on, in order, less those for which `have(index)`."""
        wanted, waiting = set(), [int(i) for i in indexes]
        while waiting:
            index = waiting.pop()
            if index in wanted or have(index):
                continue
            wanted.add(index)
            waiting.extend(int(i) for i in self._depends_of(index))
        return sorted(wanted)
