"""One piece stretched by an edge of it."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "stretch", "Stretch", "outline one piece, then draw an edge of it: its neighbours stay",
    Brush(size_px=60, edge=1.0), by_outline=True, whole=True, mends=False, lays_over_keepers=False,
)
