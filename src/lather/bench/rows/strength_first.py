"""A strength moved: to the first picture."""

from lather.bench.row import Row
from lather.bench.rows.strength import strength
from lather.bench.window import Bench


def measure(bench: Bench):
    return strength(bench, 51)[0], bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("strength_first", 100, "ms", measure)
