"""Drag: pixels pulled along under the pen. Each touch lays down what the last one picked up."""

import numpy as np

from lather.core.brush.coverage import fenced
from lather.core.brush.stroke import profile
from lather.core.job.model import Stroke
from lather.core.loops import loop
from lather.core.stages.patches.blocks import split_at_tiles
from lather.core.stages.patches.kind import Read
from lather.core.types import EncodedRGB, Rect


@loop("f4[:, :, :], f4[:, ::1], i8, i8, f8[:, ::1], f8, f4[:, :, ::1], f8[::1]", fastmath=True)
def _drag(canvas, fence, origin_x, origin_y, touches, edge, held, state):  # pragma: no cover - compiled
    """canvas (h, w, 3), changed in place. held (n, n, 3): what the pen carries; state[0]: 1 once it carries."""
    height, width = canvas.shape[0], canvas.shape[1]
    half = held.shape[0] // 2
    for i in range(touches.shape[0]):
        cx, cy = int(np.floor(touches[i, 0])) - origin_x, int(np.floor(touches[i, 1])) - origin_y
        radius, rate = max(touches[i, 2], 0.5), min(touches[i, 3], touches[i, 4])
        for dy in range(-half, half + 1):
            y = min(max(cy + dy, 0), height - 1)
            for dx in range(-half, half + 1):
                x = min(max(cx + dx, 0), width - 1)
                if state[0] == 0.0:
                    for c in range(3):
                        held[dy + half, dx + half, c] = canvas[y, x, c]
                    continue
                inside = y == cy + dy and x == cx + dx
                f = profile(np.hypot(float(dx), float(dy)), radius, edge) * rate * fence[y, x]
                for c in range(3):
                    mixed = canvas[y, x, c] + f * (held[dy + half, dx + half, c] - canvas[y, x, c])
                    if inside and f > 0.0:
                        canvas[y, x, c] = mixed
                    held[dy + half, dx + half, c] = mixed
        state[0] = 1.0


class DragState:
    """A drag in progress on a canvas whose top-left pixel is (x0, y0) of the picture.

    smooth_px: sigma below which the change is left out (a drag pulls pores along as well).
    """

    smooth_px = 0.0

    def __init__(self, stroke: Stroke):
        self._edge = stroke.brush.edge
        side = 2 * int(np.ceil(stroke.brush.size_px / 2)) + 1
        self._held, self._state = np.zeros((side, side, 3), np.float32), np.zeros(1)

    def extend(self, canvas: EncodedRGB, fence: np.ndarray, rect: Rect, touches: np.ndarray) -> None:
        """Pull along through new touches (n, 5); `canvas` and `fence` (coverage 0-1) cover `rect`."""
        _drag(canvas, fence, rect.x0, rect.y0, touches, self._edge, self._held, self._state)


def drag_blocks(stroke: Stroke, read: Read, area: Rect) -> list[tuple[Rect, np.ndarray]]:
    """Change made by a whole drag inside `area` (pixels of the picture), as one block."""
    before = read(area)
    canvas = np.array(before, np.float32)
    DragState(stroke).extend(canvas, fenced(np.ones(canvas.shape[:2], np.float32), stroke, area), area, stroke.touches)
    delta = canvas - before
    return [(block, delta[block.slices(area)]) for block in split_at_tiles(area)]
