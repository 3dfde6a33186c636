"""A colour measured around the place."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "blend_in", "Blend-in", "paints the colour measured around the place",
    Brush(size_px=30, edge=0.4, flow=0.9), heals=True,
)
