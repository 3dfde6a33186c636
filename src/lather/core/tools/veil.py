"""A smoothing that keeps edges, painted in."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "veil", "Veil", "paints in a smoothing that keeps edges",
    Brush(size_px=160, edge=0.9, flow=0.5),
    spares=True, smooths=True,
)
