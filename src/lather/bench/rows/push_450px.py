"""A push with a brush of 450 px, both sides of the face at once where there is one."""

from functools import partial

from lather.bench.row import Row
from lather.bench.rows.brush import brush_on_stage

ROW = Row("push_450px", 33, "ms", partial(brush_on_stage, stage_id="shape", tool="push"))
