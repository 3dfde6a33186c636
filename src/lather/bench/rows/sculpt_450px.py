"""A brush of 450 px that lays down light along the form, over ten layers of mends."""

from lather.bench.row import Row
from lather.bench.rows.brush import brush
from lather.bench.window import Bench


def measure(bench: Bench):
    bench.ten_layers()
    bench.window.job.choose_stage("sculpt")
    bench.pump(bench.desk.idle, 120)  # what the light on this face is, is worked out once, beside the window
    bench.settle()
    return brush(bench, 450, "light")


ROW = Row("sculpt_450px", 33, "ms", measure)
