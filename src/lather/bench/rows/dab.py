"""One Dab of 40 px with the search of its source."""

import time

import numpy as np

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke
from lather.core.stages.mend.dab import dab_stroke, source_candidates


def measure(bench: Bench):
    """One 40 px Dab: search of its source, heal, tiles."""
    engine, history, layer_id = bench.core_alone()
    times, rng = [], np.random.default_rng(3)
    width, height = engine.photo.width, engine.photo.height
    for _ in range(bench.events):
        x, y = rng.uniform(0.35, 0.6) * width, rng.uniform(0.25, 0.5) * height
        start = time.perf_counter()
        stroke = dab_stroke(x, y, 40)
        found = source_candidates(engine, history.job, layer_id, stroke)
        if found:
            stroke = Stroke(stroke.id, "dab", stroke.brush, stroke.points, found[0].offset)
            history.do(AddEdits("mend", layer_id, (stroke,)))
            engine.pixels(history.job, stroke.bounds)
        times.append(1000 * (time.perf_counter() - start))
    return times, 40 * 40 * 12, None


ROW = Row("dab", 40, "ms", measure)
