"""A stroke of Shape under the pen: the field follows where the brush is, and the picture is fetched through it."""

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.job.model import freeze_points
from lather.core.stages.base import Finished, LiveEdit, Painting, Step
from lather.core.stages.shape.field import Field, moved_box, turn_round
from lather.core.stages.shape.guard import allowed
from lather.core.stages.shape.stroke import HOLDS, LINES, ShapeStroke, in_steps
from lather.core.stages.tiles_read import TilesRead
from lather.core.types import EMPTY, EncodedRGB, Rect

if TYPE_CHECKING:
    from lather.core.stages.shape.kind import ShapeKind

_LEAST_STEP = 0.1  # of the way to a point, that is still tried where all of it would fold
FOLDS = "Stopped where skin would fold. Begin again from another side, or with a larger brush."
_NOTHING = {"tuck": "No outline of hair or body lies under the brush; lead it along one."}


class LiveShape(LiveEdit):
    """One stroke in progress. What would fold is not taken, and nothing after it."""

    def __init__(self, kind: "ShapeKind", painting: Painting):
        self._kind, self._painting, self.stroke = kind, painting, painting.stroke
        step, layer = painting.step, painting.step.layer
        at = next(n for n, one in enumerate(step.layers) if any(e is painting.stroke for e in one.edits[-1:]))
        layer = step.layers[at]
        self._layer = replace(layer, edits=layer.edits[:-1])
        self._place = at
        before = self._with(self._layer)
        base = kind.field(before)
        self._own = kind.moves.of_layer(before, self._layer)
        self.grid = base.grid
        self._scale = np.float32(layer.strength * step.stage.strength)
        self._base, self._field = base, Field(base.grid, base.forward.copy(), base.backward.copy(), base.box,
                                              base.back_box)
        self._guarded = self._own.moves.copy()
        self._shape = ShapeStroke(base.grid, self.stroke, self._own.held, self._own.moves, layer.fence)
        bound = any(edit.tool in LINES for edit in layer.edits)
        self._alone = len(step.layers) == 1 and self._scale == 1 and not bound  # its own moves are all there is
        self._below: dict[int, TilesRead] = {}  # by level
        self._finds_outline = self.stroke.tool == "tuck" and self.stroke.pull is None
        self._taken: list[np.ndarray] = []
        self._stopped = False
        self.laid = EMPTY

    def _with(self, layer) -> Step:
        """The step with another layer in the place of the one painted on."""
        layers = self._painting.step.layers
        return replace(self._painting.step, layers=(*layers[: self._place], layer, *layers[self._place + 1 :]))

    def extend(self, points: np.ndarray, *, paint: bool = True) -> Rect:
        changed = EMPTY
        if self._finds_outline:
            points = self._on_outline(points)
        last = self._taken[-1] if self._taken else None
        for point in in_steps(points, last, self.stroke.brush.size_px):
            if self._stopped:
                break
            changed = changed.union(self._as_far_as_it_goes(point))
        if changed.empty:
            return EMPTY
        self.laid = self.laid.union(self.grid.px(changed))
        if self.stroke.tool in (*HOLDS, *LINES) or not paint:
            return EMPTY
        self.settled = False
        return self._show(changed)

    def _on_outline(self, points: np.ndarray) -> np.ndarray:
        """Points laid on the outline of hair or body; those far from it are left out."""
        outline, reach, found = self._painting.engine.outline(), self.stroke.brush.size_px / 2, []
        for point in points:
            on = None if outline is None else outline.snapped(float(point[0]), float(point[1]), reach)
            if on is None:
                continue
            (x, y), (dx, dy) = on
            if not self._taken and not found:
                self.stroke = replace(self.stroke, pull=tuple(float(v) for v in (x, y, x + reach * dx, y + reach * dy)))
                self._shape = ShapeStroke(self.grid, self.stroke, self._own.held, self._own.moves, self._layer.fence)
            found.append((x, y, *point[2:]))
        return np.array(found, np.float32).reshape(-1, 4)

    def _as_far_as_it_goes(self, point: np.ndarray) -> Rect:
        """One point, or where skin would fold on the way to it: there the stroke stops. Returns the nodes that changed.
        """
        start = self._taken[-1] if self._taken else None
        changed = self._take(point)
        if changed is not None:
            return changed
        self._stopped, reached = True, EMPTY
        share, step = 0.0, 0.5
        while start is not None and step > _LEAST_STEP:
            changed = self._take((start + (point - start) * np.float32(share + step)).astype(np.float32))
            if changed is not None:
                share, reached = share + step, reached.union(changed)
            step /= 2
        return reached

    def _take(self, point: np.ndarray) -> Rect | None:
        """One point, unless it folds skin: then None, and all is as before. Returns the nodes that changed."""
        shape = self._shape
        changed = shape.extend(point[None])
        if changed.empty or self.stroke.tool in (*HOLDS, *LINES):
            self._taken.append(point)
            return changed
        at = changed.slices(self.grid.nodes)
        moves = shape.moves(changed)
        forward, guarded = self._field.forward, self._guarded
        before = forward[at].copy(), guarded[at].copy()
        guarded[at] = self._own.moves[at] + moves
        forward[at] = self._base.forward[at] + self._scale * moves
        if allowed(forward, changed, self.grid) and (self._alone or allowed(guarded, changed, self.grid)):
            self._taken.append(point)
            return changed
        forward[at], guarded[at] = before
        shape.take_back()
        return None

    def _show(self, changed: Rect) -> Rect:
        """Turn the field round where its nodes changed; returns the pixels that did."""
        field, grid = self._field, self.grid
        wide = changed.expand(1).intersect(grid.nodes)  # its border is as it was
        box = moved_box(field.forward, wide, grid)
        turn_round(field.forward, field.backward, grid.dx, grid.dy, *box)
        self._field = replace(field, box=field.box.union(changed), back_box=field.back_box.union(box))
        return grid.px(box)

    def settle(self) -> Rect:
        """As it will be: all of it worked out anew, and the picture fetched sharply."""
        self.settled = True
        if self.stroke.tool not in HOLDS and self._taken:
            settled = self._kind.field(self._with(self._finished_layer()))
            self._field = replace(settled, forward=settled.forward.copy(), backward=settled.backward.copy())
        return self.grid.px(self._field.back_box)

    def _finished_layer(self):
        return replace(self._layer, edits=(*self._layer.edits, self._edit()))

    def _edit(self):
        return replace(self.stroke, points=freeze_points(np.array(self._taken)))

    def pixels(self, rect: Rect, level: int) -> EncodedRGB:
        return self._field.resample(self._beneath, rect, level, sharp=self.settled)

    def _beneath(self, rect: Rect, level: int) -> EncodedRGB:
        """The picture beneath, each tile read once while the pen is down."""
        around = self._painting.around
        tiles = TilesRead(around.bounds.at_level(level), lambda tile: around.below(tile, level))
        return self._below.setdefault(level, tiles).view(rect)

    @property
    def stand_in(self) -> bool:
        """True while what is seen is quicker and coarser than what is kept."""
        return not self.settled

    @property
    def nothing(self) -> str:
        """Why nothing was moved, in a sentence; "" where something was."""
        return FOLDS if self._stopped else _NOTHING.get(self.stroke.tool, "")

    def finish(self, points: np.ndarray) -> Finished:
        self._kind.field(self._with(self._finished_layer()))  # the window asks for it next
        return Finished(self._edit(), message=FOLDS if self._stopped else "")
