"""The form made larger around the pen."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "swell", "Swell", "makes what is under the pen a little larger",
    Brush(size_px=160, edge=1.0, ceiling=0.2, flow=0.2, build_up=True),
    mends=False, lays_over_keepers=False, mirrors=True, shifted="draw_in",
)
