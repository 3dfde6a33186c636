"""Before and after, held."""

import time

from lather.bench.row import Row
from lather.bench.window import Bench


def measure(bench: Bench):
    bench.ten_layers()
    times = []
    for number in range(bench.events):
        start = time.perf_counter()
        bench.canvas.set_mode("before" if number % 2 == 0 else "after")
        bench.canvas.repaint()
        bench.app.processEvents()
        times.append(1000 * (time.perf_counter() - start))
    bench.canvas.set_mode("after")
    return times, bench.canvas.width() * bench.canvas.height() * 4, None


ROW = Row("before_after", 16, "ms", measure)
