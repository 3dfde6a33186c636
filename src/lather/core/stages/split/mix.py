"""Mix: a brush that takes up the tone under it, carries it along and blends it in, drying as it goes."""

import numpy as np

from lather.core.brush.coverage import fenced
from lather.core.brush.stroke import profile
from lather.core.job.model import Stroke
from lather.core.loops import loop
from lather.core.stages.patches.blocks import split_at_tiles
from lather.core.stages.patches.coarse import coarse
from lather.core.stages.patches.kind import Read
from lather.core.types import EncodedRGB, Rect

_TAKE_UP = 0.1  # of its load that the brush exchanges at every touch
_FINER_STAYS = 0.15  # of the size, sigma: finer change is left out, it is texture that the parting left in the tone
_DRIES = 0.975  # what is left of its wetness after a touch


@loop("f4[:, :, :], f4[:, ::1], i8, i8, f8[:, ::1], f8, f8[::1], f8[::1]", fastmath=True)
def _mix(canvas, fence, origin_x, origin_y, touches, edge, load, state):  # pragma: no cover - compiled
    """canvas (h, w, 3), changed in place. load (3,): the colour carried. state: [loaded, wetness]."""
    height, width = canvas.shape[0], canvas.shape[1]
    for i in range(touches.shape[0]):
        cx, cy, radius = touches[i, 0] - origin_x, touches[i, 1] - origin_y, max(touches[i, 2], 0.5)
        rate = min(touches[i, 3], touches[i, 4])
        y0, y1 = max(0, int(np.floor(cy - radius))), min(height, int(np.ceil(cy + radius)) + 1)
        x0, x1 = max(0, int(np.floor(cx - radius))), min(width, int(np.ceil(cx + radius)) + 1)
        weight, r, g, b = 0.0, 0.0, 0.0, 0.0
        for y in range(y0, y1):
            for x in range(x0, x1):
                f = profile(np.hypot(x + 0.5 - cx, y + 0.5 - cy), radius, edge) * fence[y, x]
                if f > 0.0:
                    weight += f
                    r += f * canvas[y, x, 0]
                    g += f * canvas[y, x, 1]
                    b += f * canvas[y, x, 2]
        if weight <= 0.0:
            continue
        taken = 1.0 if state[0] == 0.0 else _TAKE_UP
        state[0] = 1.0
        load[0] += taken * (r / weight - load[0])
        load[1] += taken * (g / weight - load[1])
        load[2] += taken * (b / weight - load[2])
        for y in range(y0, y1):
            for x in range(x0, x1):
                f = profile(np.hypot(x + 0.5 - cx, y + 0.5 - cy), radius, edge) * fence[y, x] * rate * state[1]
                if f > 0.0:
                    for c in range(3):
                        canvas[y, x, c] += f * (load[c] - canvas[y, x, c])
        state[1] *= _DRIES


class MixState:
    """A mixing stroke in progress; see `DragState` for how it is fed."""

    def __init__(self, stroke: Stroke):
        self.smooth_px = max(0.5, _FINER_STAYS * stroke.brush.size_px)
        self._edge = stroke.brush.edge
        self._load, self._state = np.zeros(3), np.array([0.0, 1.0])

    def extend(self, canvas: EncodedRGB, fence: np.ndarray, rect: Rect, touches: np.ndarray) -> None:
        """Mix through new touches (n, 5); `canvas` and `fence` (coverage 0-1) cover `rect`."""
        _mix(canvas, fence, rect.x0, rect.y0, touches, self._edge, self._load, self._state)


def mix_blocks(stroke: Stroke, read: Read, area: Rect, fence=None) -> list[tuple[Rect, np.ndarray]]:
    """Change made by a whole stroke inside `area`, in blocks. fence: coverage of a rectangle, of the layer."""
    before = read(area)
    canvas = np.array(before, np.float32)
    inside = fenced(np.ones(canvas.shape[:2], np.float32), stroke, area)
    if fence is not None:
        inside = inside * fence(area)
    state = MixState(stroke)
    state.extend(canvas, inside, area, stroke.touches)
    delta = coarse(canvas - before, state.smooth_px)
    return [(block, delta[block.slices(area)]) for block in split_at_tiles(area)]
