"""One touch on a spot: Lather finds the skin to use."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "dab", "Dab", "touch a spot; Lather finds the skin to use",
    Brush(size_px=26, edge=0.15), whole=True, waits=True, takes=True, heals=True,
    spares=True,
)
