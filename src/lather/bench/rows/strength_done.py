"""A strength moved: until all in view is finished."""

from lather.bench.row import Row
from lather.bench.rows.strength import strength
from lather.bench.window import Bench


def measure(bench: Bench):
    return strength(bench, 11)[1], bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("strength_done", 1500, "ms", measure)
