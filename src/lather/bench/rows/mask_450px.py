"""A brush of 450 px that paints the mask of an adjustment."""

from lather.bench.row import Row
from lather.bench.rows.brush import brush_on_stage
from lather.bench.window import Bench


def measure(bench: Bench):
    """On a Calm of the whole skin's kind: it reads the tone band around every pixel."""
    bench.ten_layers()
    bench.window.job.choose_stage("colour")
    bench.desk.stages["colour"].take_kind("calm")
    bench.pump(lambda: bench.desk.idle() and bench.window.job.layer is not None, 120)
    return brush_on_stage(bench, "colour", "mask")


ROW = Row("mask_450px", 33, "ms", measure)
