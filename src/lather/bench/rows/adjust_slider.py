"""A value of a curve moved in Finish, the whole picture in view: to the first pixels; `adjust_done` tells the rest."""

from lather.bench.row import Row
from lather.bench.rows.strength import slide
from lather.bench.window import Bench


def contrast_moved(bench: Bench) -> tuple[list[float], list[float]]:
    """(ms to the first tile, ms until all in view is finished) of steps of the contrast."""
    bench.ten_layers()
    bench.window.job.choose_stage("finish")
    part = bench.desk.stages["finish"]
    part.take_kind("tone")
    bench.pump(lambda: part.layer is not None and bench.desk.idle(), 120)
    bench.canvas.fit()
    bench.settle()
    contrast = part.box["tone"].controls["contrast"]
    return slide(bench, lambda number: contrast.set_value(5 + number % 40, tell=True, dragging=True))


def measure(bench: Bench):
    return contrast_moved(bench)[0], bench.canvas.width() * bench.canvas.height() * 12, None


ROW = Row("adjust_slider", 100, "ms", measure)
