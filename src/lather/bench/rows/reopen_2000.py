"""A job of 2,000 edits, opened again."""

import time
from pathlib import Path

import numpy as np

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.session import Session
from lather.core.types import Rect


def measure(bench: Bench):
    """A job with 2,000 edits, from its file to the whole picture on screen."""
    engine, history, layer_id = bench.core_alone()
    rng = np.random.default_rng(4)
    width, height = engine.photo.width, engine.photo.height
    strokes = tuple(
        Stroke(new_id(), "carry", Brush(size_px=float(rng.uniform(16, 44)), edge=0.3), freeze_points(
            [[rng.uniform(0.2, 0.8) * width, rng.uniform(0.1, 0.8) * height, 1, 0]]), (50, 30))
        for _ in range(2000)
    )
    history.do(AddEdits("mend", layer_id, strokes))
    session = Session(engine.photo, history)
    for y in range(0, height, 512):
        session.engine.pixels(session.job, Rect(0, y, width, min(height, y + 512)))
    path = Path(bench.folder.name) / "two-thousand.lather"
    session.save(path)
    times = []
    for _ in range(3):
        start = time.perf_counter()
        bench.open(path)
        times.append(1000 * (time.perf_counter() - start))
    return times, path.stat().st_size, None


ROW = Row("reopen_2000", 2000, "ms", measure)
