"""Pen-up to settled: a healing stroke over 200×200 px."""

import time

import cv2
import numpy as np

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.brush.values import Brush
from lather.core.engine.engine import Engine
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.types import Rect


def measure(bench: Bench):
    """Pen-up to settled: the whole stroke solved anew and its tiles rendered, 200×200 px region."""
    engine, history, layer_id = bench.core_alone()
    times, library = [], []
    rng = np.random.default_rng(2)
    width, height = engine.photo.width, engine.photo.height
    for _ in range(min(bench.events, 200)):
        x, y = rng.uniform(0.35, 0.6) * width, rng.uniform(0.25, 0.5) * height
        points = np.array([[x + 20 * i, y + 20 * i, 1, 0.01 * i] for i in range(6)], np.float32)
        stroke = Stroke(new_id(), "carry", Brush(size_px=100, edge=0.5, flow=0.6), freeze_points(points), (150, 90))
        start = time.perf_counter()
        history.do(AddEdits("mend", layer_id, (stroke,)))
        rect = stroke.bounds.intersect(engine.photo.bounds)
        engine.pixels(history.job, rect)
        times.append(1000 * (time.perf_counter() - start))
        library.append(_seamless(engine, rect))
        history.undo()
    return times, 200 * 200 * 12, ("OpenCV's seamlessClone", float(np.median(library)))

def _seamless(engine: Engine, rect: Rect) -> float:
    wide = rect.expand(8).intersect(engine.photo.bounds)
    dest = np.ascontiguousarray(engine.photo.picture.pixels[wide.y0 : wide.y1, wide.x0 : wide.x1])
    taken = np.roll(dest, 30, 1)
    mask = np.zeros(dest.shape[:2], np.uint8)
    cv2.ellipse(mask, (dest.shape[1] // 2, dest.shape[0] // 2), (dest.shape[1] // 2 - 9, dest.shape[0] // 2 - 9),
                0, 0, 360, 255, -1)
    start = time.perf_counter()
    cv2.seamlessClone(taken, dest, mask, (dest.shape[1] // 2, dest.shape[0] // 2), cv2.NORMAL_CLONE)
    return 1000 * (time.perf_counter() - start)


ROW = Row("heal_settled", 30, "ms", measure)
