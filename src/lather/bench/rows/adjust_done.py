"""A value of a curve moved in Finish: until all in view is finished."""

from lather.bench.row import Row
from lather.bench.rows.adjust_slider import contrast_moved
from lather.bench.window import Bench


def measure(bench: Bench):
    return contrast_moved(bench)[1], bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("adjust_done", 1500, "ms", measure)
