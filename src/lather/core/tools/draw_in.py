"""The form made smaller around the pen."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "draw_in", "Draw in", "makes what is under the pen a little smaller",
    Brush(size_px=160, edge=1.0, ceiling=0.2, flow=0.2, build_up=True),
    mends=False, lays_over_keepers=False, mirrors=True, shifted="swell",
)
