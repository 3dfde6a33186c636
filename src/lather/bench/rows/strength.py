"""The strength of a layer moved, the whole picture in view."""

import time

from lather.bench.window import Bench


def strength(bench: Bench, lowest: int):
    bench.ten_layers()
    first, done, arrived = [], [], []
    panel = bench.desk.layers
    bench.canvas.store.arrived.connect(lambda *_: arrived.append(time.perf_counter()))
    for number in range(min(40, bench.events)):
        arrived.clear()
        start = time.perf_counter()
        panel.strength.set_value(lowest + 39 - number % 40, tell=True, dragging=True)
        bench.canvas.repaint()
        bench.pump(lambda: bool(arrived) or bench.canvas.ready())
        first.append(1000 * (time.perf_counter() - start))
        bench.settle()
        done.append(1000 * (time.perf_counter() - start))
    return first, done
