"""A brush of 450 px under the lamp that looks furthest around."""

from lather.bench.row import Row
from lather.bench.rows.brush import brush
from lather.bench.window import Bench
from lather.core.lamps.registry import PLAIN


def measure(bench: Bench):
    bench.ten_layers()
    bench.desk.lamps.choose("blotch")
    bench.pump(bench.desk.idle, 60)  # what the lamps need is measured once, beside the window
    measured = brush(bench, 450)
    bench.desk.lamps.choose(PLAIN)
    return measured


ROW = Row("brush_450_lamp", 33, "ms", measure)
