"""A measure of the face dragged by its slider, the whole picture in view: to the first picture."""

import time

from lather.bench.row import Row
from lather.bench.window import Bench


def measure(bench: Bench):
    bench.ten_layers()
    bench.desk.found.looking.start()
    bench.pump(lambda: bench.desk.idle() and bench.window.job.job.face_map is not None, 120)
    bench.window.job.choose_stage("shape")
    bench.pump(bench.desk.idle, 120)
    bench.settle()
    times, arrived = [], []
    slider = bench.desk.stages["shape"].list_panel.rows["jaw_corners"].both
    bench.canvas.store.arrived.connect(lambda *_: arrived.append(time.perf_counter()))
    for number in range(min(40, bench.events)):
        arrived.clear()
        start = time.perf_counter()
        slider.set_value(0.1 * (1 + number % 14), tell=True, dragging=True)
        bench.canvas.repaint()
        bench.pump(lambda: bool(arrived) or bench.canvas.ready())
        times.append(1000 * (time.perf_counter() - start))
        bench.settle()
    return times, bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("measure_drag", 100, "ms", measure)
