"""What the layers of the stage move, each at full strength; and all together."""

import hashlib
import json
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.job.model import Job, Layer, Stroke
from lather.core.recent import Recent
from lather.core.stages.base import Step
from lather.core.stages.shape.field import Field
from lather.core.stages.shape.grid import Grid
from lather.core.stages.shape.guard import most_allowed
from lather.core.stages.shape.lines import keep_straight
from lather.core.stages.shape.stroke import HOLDS, LINES, ShapeStroke
from lather.core.types import EMPTY, Rect

if TYPE_CHECKING:
    from lather.core.engine.engine import Engine

_KEYS_KEPT = 256
METHOD = b"shape-1"


@dataclass(frozen=True, eq=False)
class LayerMoves:
    """moves: px on the nodes. held: 0-1 on the nodes after its last edit, None for nothing. box: where something moves.

    cut: {edit id: share} of edits that would have folded skin and count for less.
    """

    moves: np.ndarray
    held: np.ndarray | None
    box: Rect
    cut: dict[str, float] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        """Memory it holds."""
        return self.moves.nbytes + (0 if self.held is None else self.held.nbytes)


class Moves:
    """Works out and keeps what layers move, and the field of a step. limit: bytes for either."""

    def __init__(self, limit: int):
        self._layers = Recent(limit // 2, lambda held: held.nbytes, keeps_one=True)
        self._fields = Recent(limit // 2, lambda held: held.nbytes, keeps_one=True)
        self._keys = Recent(_KEYS_KEPT)

    def field(self, step: Step) -> Field:
        """The field of all layers of a step, at their strengths and the stage's."""
        key = self.key(step)
        held = self._fields.get(key)
        if held is None:
            held = self._made(step)
            self._fields.put(key, held)
        return held

    def key(self, step: Step) -> bytes:
        """What the field of a step is known by."""
        names = tuple((id(layer), layer.strength) for layer in step.layers)
        held = self._keys.get((names, step.stage.strength))
        if held is not None and all(a is b for a, b in zip(held[0], step.layers)):
            return held[1]
        h = hashlib.blake2b(METHOD, digest_size=16)
        for layer in step.layers:
            h.update(self._chain(step, layer)[-1])
            h.update(f"{layer.strength}".encode())
            for edit in layer.edits:
                if edit.tool in LINES:
                    h.update(edit.digest)
        h.update(f"{step.stage.strength} {step.bounds}".encode())
        self._keys.put((names, step.stage.strength), (step.layers, h.digest()))
        return h.digest()

    def of_layer(self, step: Step, layer: Layer) -> LayerMoves:
        """What one layer of a step moves at full strength."""
        edits, chain, grid = self._edits(step, layer), self._chain(step, layer), Grid.over(step.bounds)
        for known in range(len(edits), 0, -1):
            made = self._layers.get(chain[known])
            if made is not None:
                if known == len(edits):
                    return made
                made = replace(made, moves=made.moves.copy(), cut=dict(made.cut))
                break
        else:
            known, made = 0, LayerMoves(grid.zeros(2), None, EMPTY)
        for edit in edits[known:]:
            made = _with_edit(grid, made, layer, edit)
        self._layers.put(chain[-1], made)
        return made

    @staticmethod
    def _edits(step: Step, layer: Layer) -> list[Stroke]:
        """Those of a layer, and between them what other layers hold, in the order in which they were laid down."""
        others = sorted((edit for other in step.layers if other is not layer for edit in other.edits
                         if edit.tool in HOLDS), key=lambda edit: edit.order)
        edits: list[Stroke] = []
        for edit in layer.edits:
            while others and others[0].order < edit.order:
                edits.append(others.pop(0))
            if edit.tool not in LINES:
                edits.append(edit)
        return edits

    def _chain(self, step: Step, layer: Layer) -> list[bytes]:
        """What is known after each number of edits, from none on."""
        fence = "" if layer.fence is None else json.dumps(layer.fence.to_json())
        digest = hashlib.blake2b(METHOD + f"{step.bounds} {fence}".encode(), digest_size=16).digest()
        chain = [digest]
        for edit in self._edits(step, layer):
            digest = hashlib.blake2b(digest + edit.digest, digest_size=16).digest()
            chain.append(digest)
        return chain

    def _made(self, step: Step) -> Field:
        grid = Grid.over(step.bounds)
        total, box = grid.zeros(2), EMPTY
        for layer in step.layers:
            own = self.of_layer(step, layer)
            if own.box.empty:
                continue
            strength = layer.strength * step.stage.strength
            at = own.box.slices(grid.nodes)
            added = np.float32(strength) * own.moves[at]
            total[at] += np.float32(most_allowed(total, added, own.box, grid)) * added
            box = box.union(own.box)
        lines = [edit for layer in step.layers for edit in layer.edits if edit.tool in LINES]
        if lines and not box.empty:
            total = keep_straight(grid, total, box, lines)
        return Field.of(grid, total, box)


def _with_edit(grid: Grid, made: LayerMoves, layer: Layer, edit: Stroke) -> LayerMoves:
    """With one edit more; its moves are written into those that are there."""
    stroke = ShapeStroke(grid, edit, made.held, made.moves, layer.fence)
    stroke.whole()
    if edit.tool in HOLDS:
        return replace(made, held=stroke.held_after())
    if stroke.box.empty:
        return made
    added, at = stroke.moves(stroke.box), stroke.box.slices(grid.nodes)
    share = most_allowed(made.moves, added, stroke.box, grid)
    if share < 1:
        made.cut[edit.id] = share
        added *= np.float32(share)
    made.moves[at] += added
    return replace(made, box=made.box.union(stroke.box))


def held_map(engine: "Engine", job: Job) -> np.ndarray | None:
    """What is held of the photo, 0-1 (h, w) on the nodes; None where nothing is."""
    stack = engine.stack(job, "shape")
    step = next((one for one in stack.steps if one.stage.id == "shape"), None)
    if step is None or not any(edit.tool in HOLDS for layer in step.layers for edit in layer.edits):
        return None
    maps = [engine.kinds["shape"].moves.of_layer(step, layer).held for layer in step.layers]
    found = [one for one in maps if one is not None]
    return np.maximum.reduce(found) if found else None
