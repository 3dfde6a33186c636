"""The stroke under the pen, on a layer of any kind: the finished picture, all stages, after every batch of points."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import cv2
import numpy as np

from lather.core.engine.engine import Engine, Live
from lather.core.job.model import Job, Stroke
from lather.core.stages.base import Finished, Painting
from lather.core.tools.registry import TOOLS
from lather.core.types import EMPTY, EncodedRGB, Rect

_MANY_CORNERS = 300  # of a fence: then only what lies near the stroke is kept
_SHARED_PX = 40_000  # from which a picture is worked in two halves, side by side
_HELPER = ThreadPoolExecutor(1, "live")
_OUTSIDE = "Outside the fence: nothing was laid down. Take the fence away, or paint inside it."


class LiveStroke:
    """One stroke in progress. `stroke` brings tool, brush, offset and mode; its points are those given to `extend`.

    shows: False where the layer or stage is off or at 0 %: the stroke is kept, but nothing is to be seen of it.
    """

    def __init__(self, engine: Engine, job: Job, stage_id: str, layer_id: str, stroke: Stroke):
        stage = job.stage(stage_id)
        layer = stage.layer(layer_id)
        kind = engine.kinds[layer.kind]
        self.stroke = stroke = kind.begun(engine, job, stage_id, stroke)
        self.job = job.with_layer(stage_id, replace(layer, edits=(*layer.edits, stroke)))
        self._stack, self._earlier = engine.stack(self.job), engine.stack(job)
        shown_at = self._stack.position(layer_id)
        self.shows = shown_at is not None
        stack = self._stack
        if not self.shows:
            shown = replace(layer, on=True, strength=layer.strength or 1.0, edits=(*layer.edits, stroke))
            stage = replace(stage, on=True, strength=stage.strength or 1.0)
            stack = engine.stack_with(job.with_stage(stage).with_layer(stage_id, shown), layer_id)
        index = stack.position(layer_id)
        if index is None:
            raise KeyError(layer_id)
        self._index = index if shown_at is None else shown_at
        self._painting = Painting(engine, job, stack.steps[index], stack.around(index), stroke)
        self._edit = kind.live(self._painting)
        self._points: list[np.ndarray] = []
        self._waits = TOOLS[stroke.tool].waits

    @property
    def laid(self) -> Rect:
        """All that the stroke has reached."""
        return self._edit.laid

    @property
    def settled(self) -> bool:
        """True once the stroke is as it will be when the pen is lifted."""
        return self._edit.settled

    @property
    def disagreement(self) -> float:
        """Share 0-1 of the stroke's boundary that does not fit what lies inside (see `mend.boundary`)."""
        return self._edit.disagreement

    def extend(self, points: np.ndarray) -> Rect:
        """Take new points (n, 4) and return the level-0 rectangle whose pixels changed."""
        points = np.asarray(points, np.float32).reshape(-1, 4)
        self._points.append(points)
        paint = self.shows and not self._waits
        changed = self._edit.extend(points, paint=paint)
        return self._seen(changed) if paint else EMPTY

    def _seen(self, changed: Rect) -> Rect:
        """Where the finished picture shows what changed on the layer."""
        return changed if changed.empty else self._stack.spreads(self._index, changed)

    def settle(self) -> Rect:
        """Work the whole stroke out as it will be when the pen is lifted; returns what may have changed."""
        return self._seen(self._edit.settle()) if self.shows else EMPTY

    def pixels(self, rect: Rect, level: int = 0) -> EncodedRGB:
        """The finished picture, all stages, with the stroke as it is now."""
        if not self.shows:
            return self._stack.pixels(rect, level)
        if self._edit.stand_in and rect.width * rect.height > _SHARED_PX:
            half = rect.from_level(level).at_level(level + 1).intersect(self._bounds(level + 1))
            wide = cv2.resize(self._rendered(half, level + 1), None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
            return wide[rect.slices(Rect(2 * half.x0, 2 * half.y0, 2 * half.x1, 2 * half.y1))]
        return self._rendered(rect, level)

    def _bounds(self, level: int) -> Rect:
        return self._painting.engine.photo.level_bounds(level)

    def _rendered(self, rect: Rect, level: int) -> EncodedRGB:
        live = Live(self._index, self._edit.pixels, self._earlier, quick=self._edit.stand_in)
        if rect.width * rect.height < _SHARED_PX or rect.height < 2:
            return self._stack.pixels(rect, level, live=live)
        upper, lower = rect._replace(y1=rect.y0 + rect.height // 2), rect._replace(y0=rect.y0 + rect.height // 2)
        other = _HELPER.submit(self._stack.pixels, upper, level, live=live)
        own = self._stack.pixels(lower, level, live=live)
        return np.concatenate([other.result(), own])

    def finish(self) -> Finished:
        """The pen is lifted: the edit with all its points, or why there is none."""
        if not self._points:
            return Finished(None, 0.0, "")
        points = np.concatenate(self._points)
        if _misses_fence(self.stroke, points):
            return Finished(None, 0.0, _OUTSIDE)
        if self.laid.empty:
            return Finished(None, 0.0, self._edit.nothing)
        done = self._edit.finish(points)
        edit = done.edit
        if edit is None or edit.fence is None or edit.fence.corners < _MANY_CORNERS:
            return done
        return replace(done, edit=replace(edit, fence=edit.fence.clipped(edit.bounds)))


def _misses_fence(stroke: Stroke, points: np.ndarray) -> bool:
    """True if nothing of a stroke lies inside its fence."""
    if stroke.fence is None or stroke.by_outline:
        return False
    touches = replace(stroke, points=points).touches
    return not any(stroke.fence.reaches(x, y, radius) for x, y, radius in touches[:, :3])
