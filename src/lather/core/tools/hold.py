"""An area that whatever comes later does not move."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "hold", "Hold", "protects what it paints from all later moves; with Shift lets it go again",
    Brush(size_px=90, edge=0.4),
    mends=False, lays_over_keepers=False, mirrors=True, shifted="let_go",
)
