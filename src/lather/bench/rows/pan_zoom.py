"""A frame of panning and zooming."""

import time

from lather.bench.row import Row
from lather.bench.window import Bench


def measure(bench: Bench):
    """A frame after each step of panning and zooming, tiles at hand as while working."""
    bench.ten_layers()
    times, view = [], bench.canvas.view
    middle = (bench.canvas.width() / 2, bench.canvas.height() / 2)
    for number in range(bench.events):
        if number % 2:
            target = view.zoomed(1.0 + 0.05 * (number % 10), *middle)
        else:
            target = view.moved(-4 * (number % 30), 3 * (number % 20))
        start = time.perf_counter()
        bench.canvas.set_view(target)
        bench.canvas.repaint()
        bench.app.processEvents()
        times.append(1000 * (time.perf_counter() - start))
    bench.settle()
    return times, bench.canvas.width() * bench.canvas.height() * 4, None


ROW = Row("pan_zoom", 16, "ms", measure)
