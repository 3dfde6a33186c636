"""A line that stays straight, whatever is moved."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "straighten", "Line hold", "draw along a line behind: it stays as straight as on the photo",
    Brush(size_px=60, edge=1.0), whole=True, waits=True, mends=False, lays_over_keepers=False, shifted="straighten",
)
