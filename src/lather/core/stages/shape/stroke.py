"""One edit of the stage, as it grows under the pen or all at once: what it moves, holds or takes back on the grid."""

import cv2
import numpy as np

from lather.core.brush.stroke import TouchWalker
from lather.core.brush.values import LEAST_PRESSURE_SHARE
from lather.core.job.fence import Fence
from lather.core.job.model import Stroke
from lather.core.stages.shape.grid import Grid
from lather.core.stages.shape.moves import PLAIN, carry_along, cover, pulled, stretched, turned_back
from lather.core.tools.hold_area import OUTSIDE
from lather.core.types import EMPTY, Rect

MOVES = ("push", "swell", "draw_in", "tuck")
HOLDS = ("hold", "let_go", "hold_area")
LINES = ("straighten",)
GOES_ALONG = ("push", "tuck")
RADIAL = ("swell", "draw_in")
_GROWS = 0.25  # of the distance to its middle, by a touch of Swell at full flow
_TUCKS = 0.25  # of its way along the outline, that Tuck pushes in at full flow
_STEADY = 0.8  # an outline turns little by little
_STEP_SHARE = 0.12  # of the brush: a long way is gone in steps of no more
_NODES_MORE = 2.5  # a cubic reaches two nodes: so far beyond its rim what is held is held wholly
_LEAST_AREA, _MOST_AREA = 0.05, 20.0  # of a mirror that can be used


class ShapeStroke:
    """An edit over a grid. held: 0-1 on the nodes, by what was held before it. before: what the layer moved before it.

    `box`: nodes it has a say in.
    """

    def __init__(self, grid: Grid, stroke: Stroke, held: np.ndarray | None, before: np.ndarray, fence: Fence | None):
        self.grid, self.stroke = grid, stroke
        self.box = EMPTY
        self._held = grid.zeros() if held is None else held
        self._before, self._fences = before, tuple(x for x in (stroke.fence, fence) if x is not None)
        self._walker = TouchWalker(stroke.brush)
        self._sides = _sides(stroke)
        self._last: np.ndarray | None = None
        self._point: np.ndarray | None = None
        self._last_step: list[tuple] = []
        self._before_step: tuple = (None, None, None, 0.0)
        self._far = 0.0
        pull = stroke.pull
        self._inward = None if pull is None else np.array([pull[2] - pull[0], pull[3] - pull[1]])
        if stroke.tool in MOVES:
            self._own = [grid.zeros(2) for _ in self._sides]
        elif stroke.tool != "measure" and stroke.tool != "stretch":
            self._cover = grid.zeros()

    def extend(self, points: np.ndarray) -> Rect:
        """Take new points (n, 4); returns the nodes that changed."""
        self._before_step = (self._point, self._last, self._inward, self._far)
        touches = self._touches(points)
        if not len(touches):
            return EMPTY
        ways, tool = self._ways(touches), self.stroke.tool
        if tool in MOVES:
            lengths = touches[:, 2] * _GROWS if tool in RADIAL else np.hypot(ways[:, 0], ways[:, 1])
            self._far += float((touches[:, 3] * lengths).sum())
        reached = [self._reached(touches, there) for there, _ in self._sides]
        values = self._own if tool in MOVES else [self._cover] * len(reached)
        whole = self.grid.nodes
        self._last_step = [(one, at.slices(whole), one[at.slices(whole)].copy()) for one, at in zip(values, reached)]
        changed = EMPTY
        for number, (there, back) in enumerate(self._sides):
            if tool in MOVES:
                carry_along(self._own[number], self._held, self.grid.dx, self.grid.dy, touches, ways,
                            tool in RADIAL, self.stroke.brush.edge, there, back, self._far)
            else:
                more = _NODES_MORE * self.grid.step if tool == "hold" else 0.0
                cover(self._cover, self.grid.dx, self.grid.dy, touches, self.stroke.brush.edge, more, there, back)
            changed = changed.union(reached[number])
        self.box = self.box.union(changed)
        return changed

    def whole(self) -> None:
        """All its points at once."""
        if self.stroke.by_outline or self.stroke.tool == "measure":
            self.box = self._outline_box()
        else:
            self.extend(np.asarray(self.stroke.points, np.float64))

    def _touches(self, points: np.ndarray) -> np.ndarray:
        """Touches (n, 5): by the brush's spacing, or, of what goes with the pen, one for each step of it."""
        if self.stroke.tool not in GOES_ALONG:
            return self._walker.extend(points)
        brush = self.stroke.brush
        steps = list(in_steps(points, self._point, brush.size_px))
        if not steps:
            return np.empty((0, 5))
        self._point = steps[-1]
        points = np.asarray(steps, np.float64)
        pressure = np.clip(points[:, 2], LEAST_PRESSURE_SHARE, 1)
        size, ceiling, flow = (
            value * (pressure if by_pressure else 1.0) + np.zeros(len(points))
            for value, by_pressure in ((brush.size_px, brush.pressure_size), (brush.ceiling, brush.pressure_ceiling),
                                       (brush.flow, brush.pressure_flow))
        )
        return np.column_stack([points[:, 0], points[:, 1], size / 2, flow, ceiling])

    def _ways(self, touches: np.ndarray) -> np.ndarray:
        """How far each touch goes."""
        tool, count = self.stroke.tool, len(touches)
        if tool in RADIAL:
            return np.full((count, 2), _GROWS if tool == "swell" else -_GROWS)
        before = touches[:1, :2] if self._last is None else self._last
        steps = np.diff(np.concatenate([before, touches[:, :2]]), axis=0)
        self._last = touches[-1:, :2].copy()
        if tool == "tuck":
            return self._inwards(steps) * (_TUCKS * np.hypot(steps[:, :1], steps[:, 1:]))
        return steps

    def _inwards(self, steps: np.ndarray) -> np.ndarray:
        """Unit vectors across the path, to the side that `pull` tells."""
        inwards = self._inward
        if inwards is None:
            return np.zeros_like(steps)
        out = np.empty_like(steps)
        for n, step in enumerate(steps):
            length = np.hypot(*step)
            if length > 1e-6:
                across = np.array([-step[1], step[0]]) / length
                side = across if across @ inwards >= 0 else -across
                inwards = _STEADY * inwards / max(np.hypot(*inwards), 1e-9) + (1 - _STEADY) * side
            out[n] = inwards / max(np.hypot(*inwards), 1e-9)
        self._inward = inwards
        return out

    def _reached(self, touches: np.ndarray, there: np.ndarray) -> Rect:
        places = touches[:, :2] @ there[:, :2].T + there[:, 2]
        far = np.minimum(self._far, touches[:, 2] * touches[:, 4])
        reach = (touches[:, 2] + far) * np.abs(there[:, :2]).sum(1).max() + _NODES_MORE * self.grid.step
        return self.grid.box((places - reach[:, None]).min(0), (places + reach[:, None]).max(0), 1)

    def _outline_box(self) -> Rect:
        stroke, grid = self.stroke, self.grid
        if stroke.tool == "hold_area" and stroke.mode == OUTSIDE:
            return grid.nodes
        reach = 0.5 * stroke.brush.size_px if stroke.tool == "measure" else 0.0
        if stroke.tool == "stretch" and stroke.pull is not None:
            length = float(np.hypot(stroke.pull[2] - stroke.pull[0], stroke.pull[3] - stroke.pull[1]))
            reach = 2.2 * length + 0.3 * float(np.ptp(stroke.points[:, :2], axis=0).max()) + 4 * grid.step
        if stroke.tool == "hold_area":
            reach = stroke.feather_px + 4 * grid.step
        box = EMPTY
        for there, _ in self._sides:
            places = stroke.points[:, :2].astype(float) @ there[:, :2].T + there[:, 2]
            box = box.union(grid.box(places.min(0) - reach, places.max(0) + reach, 1))
        return box

    def take_back(self) -> None:
        """What the last points did is undone."""
        for values, at, kept in self._last_step:
            values[at] = kept
        self._point, self._last, self._inward, self._far = self._before_step

    # what came of it

    def moves(self, box: Rect) -> np.ndarray:
        """Displacement (h, w, 2) that it adds to its layer, on the nodes of a box."""
        own, tool = box.slices(self.grid.nodes), self.stroke.tool
        if tool in MOVES:
            made = self._own[0][own].copy()
            for more in self._own[1:]:
                made += more[own]
        elif tool == "settle" or tool == "give_back":
            made = -self._cover[own][..., None] * self._before[own]
        elif tool in ("measure", "stretch"):
            made = self._at_places(box) * (1 - self._held[own])[..., None]
            made = self._closed_at_the_border(made, box).astype(np.float32)
        else:
            return np.zeros((box.height, box.width, 2), np.float32)
        for fence in self._fences:
            made *= self._fenced(fence, box)[..., None]
        return made

    def held_after(self) -> np.ndarray:
        """What is held after it, 0-1 on the nodes."""
        if self.stroke.tool == "hold_area":
            return np.maximum(self._held, self._area())
        if self.stroke.tool == "let_go":
            return self._held * (1 - self._cover)
        return self._held + self._cover * (1 - self._held)

    def _at_places(self, box: Rect) -> np.ndarray:
        stroke, places = self.stroke, self.grid.places(box)
        points = stroke.points[:, :2].astype(float)
        made = np.zeros(places.shape)
        for there, back in self._sides:
            seen = places @ back[:, :2].T + back[:, 2]
            if stroke.tool == "measure":
                anchors, ends = points[0::2], points[1::2]
                anchors = anchors[: len(ends)]
                flat = pulled(np.ascontiguousarray(seen.reshape(-1, 2)), anchors, ends - anchors,
                              stroke.brush.size_px / 2)
                move = flat.reshape(seen.shape)
            else:
                pull = np.array(stroke.pull or (0, 0, 0, 0), float)
                move = stretched(seen, points, pull[:2], pull[2:], 2 * self.grid.step)
            made += move @ there[:, :2].T
        return made

    def _closed_at_the_border(self, made: np.ndarray, box: Rect) -> np.ndarray:
        grid, reach = self.grid, max(4 * self.grid.step, self.stroke.brush.size_px / 2)
        places = grid.places(box)
        for axis, far in ((0, grid.width), (1, grid.height)):
            near = np.clip(np.minimum(places[..., axis], far - places[..., axis]) / reach, 0, 1)
            made[..., axis] *= near * near * (3 - 2 * near)
        return made

    def _area(self) -> np.ndarray:
        """Coverage of a held area: whole inside its outline and fading beyond it; or, of what lies outside, fading in
        from the outline on.
        """
        grid, stroke = self.grid, self.stroke
        inside = np.zeros((grid.rows + 1, grid.columns + 1), np.uint8)
        for there, _ in self._sides:
            places = stroke.points[:, :2].astype(float) @ there[:, :2].T + there[:, 2]
            corners = np.round(places / (grid.dx, grid.dy) * 16).astype(np.int32)
            cv2.fillPoly(inside, [corners], 1, shift=4)
        away = cv2.distanceTransform(1 - inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) * grid.step
        feather = max(stroke.feather_px, grid.step)
        more = _NODES_MORE * grid.step
        share = away / feather if stroke.mode == OUTSIDE else 1 - (away - more) / feather
        share = np.clip(share, 0, 1)
        return (stroke.brush.ceiling * share * share * (3 - 2 * share)).astype(np.float32)

    def _fenced(self, fence: Fence, box: Rect) -> np.ndarray:
        """Coverage of a fence on the nodes of a box."""
        grid = self.grid
        rect = Rect(int(box.x0 * grid.dx), int(box.y0 * grid.dy), int(box.x1 * grid.dx) + 2, int(box.y1 * grid.dy) + 2)
        places = grid.places(box)
        columns = np.clip(places[..., 0].astype(int) - rect.x0, 0, rect.width - 1)
        rows = np.clip(places[..., 1].astype(int) - rect.y0, 0, rect.height - 1)
        return fence.coverage(rect)[rows, columns]


def in_steps(points: np.ndarray, last: np.ndarray | None, size_px: float):
    """Points (4,) no further apart than a share of the brush, after a last one."""
    most = max(2.0, _STEP_SHARE * size_px)
    for point in np.asarray(points, np.float32).reshape(-1, 4):
        count = 1 if last is None else max(1, int(np.ceil(np.hypot(*(point[:2] - last[:2])) / most)))
        for n in range(1, count + 1):
            yield point if n == count else (last + (point - last) * np.float32(n / count)).astype(np.float32)
        last = point


def _sides(stroke: Stroke) -> list[tuple[np.ndarray, np.ndarray]]:
    """(there, back) of each side on which it acts."""
    sides = [(PLAIN, PLAIN)]
    if stroke.mirror is not None:
        a, b, c, d, x, y = stroke.mirror
        if _LEAST_AREA < abs(a * d - b * c) < _MOST_AREA:
            there = np.array([[a, b, x], [c, d, y]])
            sides.append((there, turned_back(there)))
    return sides
