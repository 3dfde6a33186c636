"""Grain of the photo's own kind."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "grain", "Grain", "paints grain of the photo's own kind",
    Brush(size_px=120, edge=0.8, flow=0.6),
)
