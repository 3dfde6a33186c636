"""The same with a brush of 450 px."""

from lather.bench.row import Row
from lather.bench.rows.brush import brush
from lather.bench.window import Bench


def measure(bench: Bench):
    bench.ten_layers()
    return brush(bench, 450)


ROW = Row("brush_450px", 33, "ms", measure)
