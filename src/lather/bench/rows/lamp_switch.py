"""From one lamp to the next: to the first picture, the whole photo in view."""

import time

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.lamps.registry import PLAIN

_LAMPS = ("blotch", "grey")


def measure(bench: Bench):
    bench.ten_layers()
    bench.desk.lamps.choose("grey")
    bench.pump(bench.desk.idle, 60)  # what the lamps need is measured once, beside the window
    bench.settle()
    arrived, times = [], []
    bench.canvas.store.arrived.connect(lambda *_: arrived.append(True))
    for number in range(min(40, bench.events)):
        lamp = _LAMPS[number % 2]
        slider = bench.desk.lamps.strengths[lamp]
        slider.set_value(slider.value + slider.step)  # so that no picture of before serves
        arrived.clear()
        start = time.perf_counter()
        bench.desk.lamps.choose(lamp)
        bench.canvas.repaint()
        bench.pump(lambda: bool(arrived))
        bench.app.processEvents()
        times.append(1000 * (time.perf_counter() - start))
        bench.settle()
    bench.desk.lamps.choose(PLAIN)
    return times, bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("lamp_switch", 50, "ms", measure)
