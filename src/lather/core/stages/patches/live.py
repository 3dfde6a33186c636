"""A stroke while the pen is down, on a layer of any patch kind: every batch of points gives finished pixels around it.

The heal is solved in a window around the newest points, with the same method as the finished stroke, so that
little changes when the pen is lifted. Buffers of the picture's size cost nothing until they are written to.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from lather.core.brush.stroke import TouchWalker, stamp, touches_bounds
from lather.core.engine.engine import Engine, Live
from lather.core.job.model import Job, Stroke, freeze_points
from lather.core.levels import halve
from lather.core.stages.mend.solve import cut
from lather.core.stages.patches.coverage import fenced
from lather.core.stages.split.mix import coarse, coarse_reach
from lather.core.types import EMPTY, EncodedRGB, Rect, tile_rect, tiles_of

_LARGEST_MARGIN_PX = 128
_SETTLE_MOST_PX = 4_000_000
_SHARED_PX = 40_000  # from which a picture is worked in two halves, side by side
_HELPER = ThreadPoolExecutor(1, "live")


class LiveStroke:
    """One stroke in progress on a layer that is on.

    `stroke` brings tool, brush, offset and mode; its points are those given to `extend`.
    """

    def __init__(self, engine: Engine, job: Job, stage_id: str, layer_id: str, stroke: Stroke):
        self.stroke = stroke
        self.layer_id = layer_id
        self._engine = engine
        self._bounds = engine.photo.bounds
        layer = job.stage(stage_id).layer(layer_id)
        held = replace(layer, edits=(*layer.edits, stroke))
        self.job = job.with_layer(stage_id, held)
        self._stack, self._earlier = engine.stack(self.job), engine.stack(job)
        self._index = self._stack.position(layer_id)
        if self._index is not None:
            self._kind = engine.kinds[held.kind]
            self._around = self._stack.around(self._index)
            self._order = self._kind.order(self._around, held)
            self._place = len(layer.edits)
            self._seen = self._kind.reading(held, self._read, self._bounds)
            self._original = self._kind.reading(held, lambda rect: self._around.stage_input(rect, 0), self._bounds)
        self._layer = held
        self._walker = TouchWalker(stroke.brush)
        height, width = self._bounds.height, self._bounds.width
        self._coverage = np.zeros((height, width), np.float32)
        self._delta = np.zeros((height, width, 3), np.float32)
        self._before = np.empty((height, width, 3), np.float32)
        self._known: set[tuple[int, int]] = set()
        self._points: list[np.ndarray] = []
        self.laid = EMPTY
        self.disagreement = 0.0
        self.settled = True
        self._drag = self._kind.puller(held, stroke) if self._index is not None else None
        self._dragged: np.ndarray | None = None

    @property
    def shows(self) -> bool:
        """False where the layer or stage is off or at 0 %: the stroke would do nothing."""
        return self._index is not None

    def extend(self, points: np.ndarray, *, paint: bool = True) -> Rect:
        """Take new points (n, 4) and return the level-0 rectangle whose pixels changed.

        With paint=False only coverage grows (a Dab waits for its source until the pen is lifted).
        """
        points = np.asarray(points, np.float32).reshape(-1, 4)
        self._points.append(points)
        touches = self._walker.extend(points)
        dirty = touches_bounds(touches).intersect(self._bounds)
        if dirty.empty:
            return EMPTY
        stamp(self._coverage, 0, 0, touches, self.stroke.brush.edge)
        self.laid = self.laid.union(dirty)
        if self.stroke.fence is not None:
            dirty = dirty.intersect(self.stroke.fence.bounds)
        if paint and self.shows and not dirty.empty:
            if self._drag is not None:
                return self._pull(dirty, touches)
            else:
                self._solve(dirty)
                self.settled = not self.stroke.heals or self.laid == dirty
        return dirty

    def _pull(self, dirty: Rect, touches: np.ndarray) -> Rect:
        """Pull along through new touches; returns what changed."""
        if self._dragged is None:
            self._dragged, self._untouched = np.empty_like(self._before), np.empty_like(self._before)
            self._dragged_known: set[tuple[int, int]] = set()
        for column, row in tiles_of(dirty):
            if (column, row) not in self._dragged_known:
                tile = tile_rect(column, row, self._bounds.x1, self._bounds.y1)
                place = tile.slices(self._bounds)
                self._dragged[place] = self._untouched[place] = self._seen(tile)
                self._dragged_known.add((column, row))
        place = dirty.slices(self._bounds)
        fence = fenced(np.ones((dirty.height, dirty.width), np.float32), self.stroke, dirty)
        if self._layer.fence is not None:
            fence *= self._layer.fence.coverage(dirty)
        self._drag.extend(self._dragged[place], fence, dirty, touches)
        if not self._drag.smooth_px:
            self._lay(dirty, self._dragged[place] - self._untouched[place])
            return dirty
        reach = coarse_reach(self._drag.smooth_px)
        whole = dirty.expand(2 * reach).intersect(self.laid)
        place = whole.slices(self._bounds)
        known = self._dragged_in(whole)
        delta = np.where(known[..., None], self._dragged[place] - self._untouched[place], np.float32(0))
        wide = dirty.expand(reach).intersect(self.laid)
        self._lay(wide, coarse(delta, self._drag.smooth_px)[wide.slices(whole)])
        return wide

    def _dragged_in(self, rect: Rect) -> np.ndarray:
        """True where the canvas has been read: elsewhere nothing was pulled."""
        known = np.zeros((rect.height, rect.width), bool)
        for column, row in tiles_of(rect):
            if (column, row) in self._dragged_known:
                known[tile_rect(column, row, self._bounds.x1, self._bounds.y1).intersect(rect).slices(rect)] = True
        return known

    def settle(self) -> Rect:
        """Solve the whole stroke so far as it will be when the pen is lifted; returns what may have changed.

        For a pen that stays down or circles over one place: what was laid first follows what came later.
        """
        self.settled = True
        area = self.laid if self.stroke.fence is None else self.laid.intersect(self.stroke.fence.bounds)
        if not self.shows or area.empty or area.width * area.height > _SETTLE_MOST_PX:
            return EMPTY
        solved = self._kind.solve_part(
            self._layer, self.stroke, self.coverage, area, read=self._seen, original=self._original,
            bounds=self._bounds,
        )
        for block, delta in solved.blocks:
            self._lay(block, delta)
        self.disagreement = solved.disagreement
        return area

    def _solve(self, dirty: Rect) -> None:
        margin = int(min(self.stroke.brush.size_px, _LARGEST_MARGIN_PX))
        window = dirty.expand(margin).intersect(self.laid)
        solved = self._kind.solve_part(
            self._layer, self.stroke, self.coverage, window, read=self._seen, original=self._original,
            bounds=self._bounds, only=dirty,
        )
        for block, delta in solved.blocks:
            self._lay(block, delta)
        self.disagreement = solved.disagreement

    def _lay(self, rect: Rect, delta: np.ndarray) -> None:
        if self._layer.fence is not None:
            delta = delta * self._layer.fence.coverage(rect)[..., None]
        self._delta[rect.slices(self._bounds)] = delta

    def before(self, rect: Rect) -> EncodedRGB:
        """The layer before the stroke (the photo's pixels where the layer is off); do not write into it."""
        return self._read(rect) if self.shows else self._stack.pixels(rect, 0)

    def _read(self, rect: Rect) -> EncodedRGB:
        """The layer before the stroke; a tile is computed once, then looked at (do not write into it)."""
        for column, row in tiles_of(rect):
            if (column, row) not in self._known:
                tile = tile_rect(column, row, self._bounds.x1, self._bounds.y1)
                self._before[tile.slices(self._bounds)] = self._kind.before(
                    self._around, self._order, self._place, tile
                )
                self._known.add((column, row))
        return self._before[rect.slices(self._bounds)]

    def coverage(self, rect: Rect) -> np.ndarray:
        """Coverage so far of any rectangle, float32 (h, w), inside the fence."""
        return fenced(cut(self._coverage, self._bounds, rect), self.stroke, rect)

    def pixels(self, rect: Rect, level: int = 0) -> EncodedRGB:
        """The finished picture, all stages, with the stroke as it is now."""
        if not self.shows:
            return self._stack.pixels(rect, level)
        live = Live(self._index, self._full, self._earlier)
        if rect.width * rect.height < _SHARED_PX or rect.height < 2:
            return self._stack.pixels(rect, level, live=live)
        upper, lower = rect._replace(y1=rect.y0 + rect.height // 2), rect._replace(y0=rect.y0 + rect.height // 2)
        other = _HELPER.submit(self._stack.pixels, upper, level, live=live)
        own = self._stack.pixels(lower, level, live=live)
        return np.concatenate([other.result(), own])

    def _full(self, rect: Rect, level: int) -> EncodedRGB:
        area = rect.from_level(level).intersect(self._bounds)
        delta = self._delta[area.slices(self._bounds)]
        if level == 0:
            return self._read(rect) + delta
        out = self._kind.before(self._around, self._order, self._place, rect, level)
        for _ in range(level):
            delta = halve(delta)
        out += delta
        return out

    def finished(self, offset: tuple[int, int] | None = None) -> Stroke:
        """The stroke with all its points (and, for a Dab, the source found for it)."""
        points = freeze_points(np.concatenate(self._points))
        return replace(self.stroke, points=points, offset=offset or self.stroke.offset)
