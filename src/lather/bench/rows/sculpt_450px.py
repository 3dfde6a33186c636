"""A brush of 450 px that lays down light along the form."""

from functools import partial

from lather.bench.row import Row
from lather.bench.rows.brush import brush_on_stage

ROW = Row("sculpt_450px", 33, "ms", partial(brush_on_stage, stage_id="sculpt", tool="light"))
