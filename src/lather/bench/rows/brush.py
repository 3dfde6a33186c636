"""A brush of any size, driven by mouse events."""

import time

import numpy as np
from PyQt6.QtCore import QEvent

from lather.bench.window import Bench


def brush(bench: Bench, size: float, tool: str = "carry"):
    """Latencies of a stroke, in ms, and the bytes that an event touches."""
    strip, state = bench.desk.brush_strip, bench.desk.state
    strip.choose(tool)
    strip.size.set_value(size, tell=True)
    width, height = bench.canvas.picture.x1, bench.canvas.picture.y1
    x, y = 0.48 * width, 0.33 * height
    bench.canvas.centre_on(x, y, 1.0)
    bench.settle()
    state.take(x + size * 1.1, y + size * 0.5)
    times = []
    painted = []
    bench.canvas.painted.connect(lambda: painted.append(time.perf_counter()))
    worker = bench.desk.control.worker
    live = []
    worker.painted.connect(lambda _: live.append(True))
    for number in range(bench.events):
        step = number % 50
        way = max(20.0, 0.11 * size)  # a quick hand: every event lays down at least one touch
        px, py = x - 200 + abs((way * step) % 800 - 400), y + 60 * np.sin(step / 8)
        if step == 0:
            bench.send(QEvent.Type.MouseButtonPress, px, py)
            bench.pump(worker.idle)
            bench.app.processEvents()
            continue
        live.clear()
        painted.clear()
        start = time.perf_counter()
        bench.send(QEvent.Type.MouseMove, px, py)
        bench.pump(worker.idle)
        bench.app.processEvents()
        if not live:
            continue  # the way was shorter than the spacing: nothing was laid down
        bench.pump(lambda begun=start: painted and painted[-1] > begun)
        times.append(1000 * (painted[-1] - start))
        if step == 49 or number == bench.events - 1:
            bench.send(QEvent.Type.MouseButtonRelease, px, py)
            bench.pump(lambda: not bench.desk.control.painting)
            bench.settle()
            bench.window.job.undo()
            bench.settle()
    return times, (size + 8) ** 2 * 12, None


def brush_on_stage(bench: Bench, stage_id: str, tool: str):
    """The same with 450 px on a stage over ten layers of mends."""
    bench.ten_layers()
    bench.window.job.choose_stage(stage_id)
    bench.pump(bench.desk.idle, 120)  # what the light on this face is, is worked out once, beside the window
    bench.settle()
    return brush(bench, 450, tool)
