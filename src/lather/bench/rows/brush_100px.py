"""From an event to finished pixels, a brush of 100 px at 100 %."""

from lather.bench.row import Row
from lather.bench.rows.brush import brush
from lather.bench.window import Bench


def measure(bench: Bench):
    bench.ten_layers()
    return brush(bench, 100)


ROW = Row("brush_100px", 16, "ms", measure)
