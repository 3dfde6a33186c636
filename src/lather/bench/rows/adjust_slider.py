"""A value of a curve moved in Finish, the whole picture in view: to the first pixels; `adjust_done` tells the rest."""

import time

from lather.bench.row import Row
from lather.bench.window import Bench


def slide(bench: Bench) -> tuple[list[float], list[float]]:
    """(ms to the first tile, ms until all in view is finished) of steps of the contrast."""
    bench.ten_layers()
    bench.window.job.choose_stage("finish")
    part = bench.desk.stages["finish"]
    part.take_kind("tone")
    bench.pump(lambda: part.layer is not None and bench.desk.idle(), 120)
    bench.canvas.fit()
    bench.settle()
    slider, first, done, arrived = part.box["tone"].controls["contrast"], [], [], []
    bench.canvas.store.arrived.connect(lambda *_: arrived.append(time.perf_counter()))
    for number in range(min(30, bench.events)):
        arrived.clear()
        start = time.perf_counter()
        slider.set_value(5 + number % 30, tell=True, dragging=True)
        bench.canvas.repaint()
        bench.pump(lambda: bool(arrived) or bench.canvas.ready())
        first.append(1000 * (time.perf_counter() - start))
        bench.settle()
        done.append(1000 * (time.perf_counter() - start))
    return first, done


def measure(bench: Bench):
    return slide(bench)[0], bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("adjust_slider", 100, "ms", measure)
