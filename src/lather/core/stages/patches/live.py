"""A stroke while the pen is down, on a layer of any patch kind: every batch of points gives finished pixels around it.

The heal is solved in a window around the newest points, with the same method as the finished stroke, so that
little changes when the pen is lifted. Buffers hold no more of the picture than the stroke has come to.
"""

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lather.core.brush.coverage import cut, fenced
from lather.core.brush.growing import GrowingPlane
from lather.core.brush.stroke import TouchWalker, stamp, touches_bounds
from lather.core.job.model import freeze_points
from lather.core.levels import halve
from lather.core.stages.base import STILL, Finished, LiveEdit, Painting, mixed
from lather.core.stages.patches.coarse import coarse, coarse_reach
from lather.core.stages.patches.moved import moved_points, moved_stroke
from lather.core.stages.tiles_read import TilesRead
from lather.core.types import EMPTY, EncodedRGB, Rect

if TYPE_CHECKING:
    from lather.core.stages.patches.kind import PatchKind

_LARGEST_MARGIN_PX = 128
_SETTLE_MOST_PX = 4_000_000


class LivePatch(LiveEdit):
    """One stroke in progress on a patch layer."""

    def __init__(self, kind: "PatchKind", painting: Painting):
        self._kind, self._painting = kind, painting
        self._around, self._bounds = painting.around, painting.around.bounds
        still = painting.around.warp is STILL
        self.stroke = painting.stroke if still else moved_stroke(painting.stroke, painting.around.warp)
        self._layer = kind.above(self._around, painting.step.layer)
        self._order = kind.order(self._around, painting.step.layer)
        self._place = len(self._layer.edits) - 1
        self._seen = kind.reading(self._layer, self.before, self._bounds)
        self._original = kind.reading(self._layer, lambda rect: self._around.stage_input(rect, 0), self._bounds)
        self._walker = TouchWalker(self.stroke.brush)
        self._coverage = GrowingPlane(self._bounds)
        self._delta = GrowingPlane(self._bounds, 3)
        self._known = TilesRead(self._bounds, self._tile_before)
        self.laid = EMPTY
        self._pulling = kind.puller(self._layer, self.stroke)
        self._untouched = TilesRead(self._bounds, self._seen)
        self._pulled = TilesRead(self._bounds, self._untouched.view)

    def extend(self, points: np.ndarray, *, paint: bool = True) -> Rect:
        if self._around.warp is not STILL:
            points = moved_points(points, self._around.warp)
        touches = self._walker.extend(points)
        dirty = touches_bounds(touches).intersect(self._bounds)
        if dirty.empty:
            return EMPTY
        stamp(self._coverage.over(dirty), *self._coverage.origin, touches, self.stroke.brush.edge)
        self.laid = self.laid.union(dirty)
        if self.stroke.fence is not None:
            dirty = dirty.intersect(self.stroke.fence.bounds)
        if paint and not dirty.empty:
            if self._pulling is not None:
                return self._pull(dirty, touches)
            self._solve(dirty)
            self.settled = not self.stroke.heals or self.laid == dirty
        return dirty

    def _pull(self, dirty: Rect, touches: np.ndarray) -> Rect:
        """Pull along through new touches; returns what changed."""
        canvas = self._pulled.view(dirty)
        before = self._untouched.view(dirty)
        fence = fenced(np.ones((dirty.height, dirty.width), np.float32), self.stroke, dirty)
        if self._layer.fence is not None:
            fence *= self._layer.fence.coverage(dirty)
        self._pulling.extend(canvas, fence, dirty, touches)
        if not self._pulling.smooth_px:
            self._lay(dirty, canvas - before)
            return dirty
        reach = coarse_reach(self._pulling.smooth_px)
        whole = dirty.expand(2 * reach).intersect(self.laid)
        known = self._pulled.read_in(whole)  # elsewhere nothing was pulled
        change = self._pulled.peek(whole) - self._untouched.peek(whole)
        delta = np.where(known[..., None], change, np.float32(0))
        wide = dirty.expand(reach).intersect(self.laid)
        self._lay(wide, coarse(delta, self._pulling.smooth_px)[wide.slices(whole)])
        return wide

    def settle(self) -> Rect:
        """For a pen that stays down or circles over one place: what was laid first follows what came later."""
        self.settled = True
        area = self.laid if self.stroke.fence is None else self.laid.intersect(self.stroke.fence.bounds)
        if self._pulling is not None or area.empty or area.width * area.height > _SETTLE_MOST_PX:
            return EMPTY  # what is pulled along is as it will be already
        self._solve_in(area)
        return area

    def _solve(self, dirty: Rect) -> None:
        margin = int(min(self.stroke.brush.size_px, _LARGEST_MARGIN_PX))
        self._solve_in(dirty.expand(margin).intersect(self.laid), only=dirty)

    def _solve_in(self, area: Rect, **only) -> None:
        solved = self._kind.solve_part(
            self._layer, self.stroke, self.coverage, area, read=self._seen, original=self._original,
            bounds=self._bounds, **only,
        )
        for block, delta in solved.blocks:
            self._lay(block, delta)
        self.disagreement = solved.disagreement

    def _lay(self, rect: Rect, delta: np.ndarray) -> None:
        if self._layer.fence is not None:
            delta = delta * self._layer.fence.coverage(rect)[..., None]
        self._delta.view(rect)[:] = delta

    def _tile_before(self, tile: Rect) -> EncodedRGB:
        return self._kind.before(self._around, self._order, self._place, tile)

    def before(self, rect: Rect) -> EncodedRGB:
        """The layer before the stroke; a tile is computed once, then looked at (do not write into it)."""
        return self._known.view(rect)

    def coverage(self, rect: Rect) -> np.ndarray:
        """Coverage so far of any rectangle, float32 (h, w), inside the fence."""
        return fenced(cut(self._coverage.values, self._coverage.rect, rect), self.stroke, rect)

    def pixels(self, rect: Rect, level: int) -> EncodedRGB:
        area = rect.from_level(level).intersect(self._bounds)
        delta = self._delta.cut(area)
        if level == 0:
            out = self.before(rect) + delta
        else:
            out = self._kind.before(self._around, self._order, self._place, rect, level)
            for _ in range(level):
                delta = halve(delta)
            out += delta
        strength = self._painting.step.strength
        return out if strength == 1 else mixed(self._around.below(rect, level), out, strength)

    def finish(self, points: np.ndarray) -> Finished:
        stroke = replace(self._painting.stroke, points=freeze_points(points))
        return self._kind.finish(self._painting, stroke, self.before)
