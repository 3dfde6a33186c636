"""The form pushed along under the pen."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "push", "Push", "pushes the form along under the pen, a little at a time",
    Brush(size_px=360, edge=1.0, ceiling=0.3, flow=0.2),
    mends=False, lays_over_keepers=False, mirrors=True, shifted="settle",
)
