"""One step of a strength slider with thousands of edits: how long it holds the window's thread."""

import time

import numpy as np

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits, AddLayer
from lather.core.job.model import Layer, Stroke, freeze_points, new_id
from lather.core.stages.strands.propose import strand_stroke

_MENDS, _HAIRS, _AREAS = 2000, 1200, 300
_TILES_ACROSS = 5.5
_BETWEEN_S = 0.1


def measure(bench: Bench):
    """2,000 mends on the layer that is turned down and 1,500 edits above it; 24 tiles in view."""
    job, rng = bench.window.job, np.random.default_rng(6)
    width, height = bench.canvas.picture.x1, bench.canvas.picture.y1

    def places(count: int) -> np.ndarray:
        return np.column_stack([rng.uniform(0.2, 0.8, count) * width, rng.uniform(0.1, 0.8, count) * height])

    mends = tuple(
        Stroke(new_id(), "carry", Brush(size_px=float(rng.uniform(16, 40)), edge=0.3),
               freeze_points([[x, y, 1, 0]]), (50, 30))
        for x, y in places(_MENDS)
    )
    job.do(AddEdits("mend", job.layer.id, mends))
    hairs = tuple(strand_stroke([(x + 6 * i, y + 3 * i) for i in range(20)], 3.0) for x, y in places(_HAIRS))
    copies = tuple(Stroke(new_id(), "copy", Brush(size_px=40), freeze_points([[x, y, 1, 0]]), (60, 0))
                   for x, y in places(_AREAS))
    for edits in (hairs, copies):
        job.do(AddLayer("strands", Layer(new_id(), "Hairs", "strands", edits=edits, strength=0.9), 0))
    bench.canvas.set_view(bench.canvas.view.at_scale(bench.canvas.view.width / (_TILES_ACROSS * 256), 0, 0))
    bench.canvas.centre_on(0.5 * width, 0.4 * height)
    bench.settle()
    held = []
    for number in range(min(24, bench.events)):
        start = time.perf_counter()
        bench.desk.layers.strength.set_value(50 + number, tell=True, dragging=True)
        held.append(1000 * (time.perf_counter() - start))
        between = time.perf_counter() + _BETWEEN_S  # the next step comes while the tiles of this one are being made
        bench.pump(lambda end=between: time.perf_counter() > end)
    return held, 0, None


ROW = Row("strength_step", 20, "ms", measure)
