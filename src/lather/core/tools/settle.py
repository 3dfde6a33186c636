"""Moves of this layer taken back."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "settle", "Settle", "takes the moves of this layer back towards the photo",
    Brush(size_px=200, edge=0.7, flow=0.5),
    mends=False, lays_over_keepers=False, mirrors=True, shifted="push",
)
