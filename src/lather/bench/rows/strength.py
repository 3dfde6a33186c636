"""The strength of a layer moved, the whole picture in view."""

import time
from collections.abc import Callable

from lather.bench.window import Bench


def strength(bench: Bench, lowest: int):
    bench.ten_layers()
    panel = bench.desk.layers
    return slide(bench, lambda number: panel.strength.set_value(lowest + 39 - number % 40, tell=True, dragging=True))


def slide(bench: Bench, move: Callable[[int], None]) -> tuple[list[float], list[float]]:
    """(ms to the first tile, ms until all in view is finished) of each step of a slider. move(number): takes a step."""
    first, done, arrived = [], [], []
    bench.canvas.store.arrived.connect(lambda *_: arrived.append(time.perf_counter()))
    for number in range(min(40, bench.events)):
        arrived.clear()
        start = time.perf_counter()
        move(number)
        bench.canvas.repaint()
        bench.pump(lambda: bool(arrived) or bench.canvas.ready())
        first.append(1000 * (time.perf_counter() - start))
        bench.settle()
        done.append(1000 * (time.perf_counter() - start))
    return first, done
