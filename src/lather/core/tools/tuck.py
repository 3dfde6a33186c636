"""The outline of hair or of a body pushed in."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "tuck", "Tuck", "led along the outline of hair or body, pushes it in a little",
    Brush(size_px=150, edge=1.0, ceiling=0.3, flow=0.3),
    mends=False, lays_over_keepers=False, shifted="settle",
)
