"""Chosen pixels as they are, or only where they are lighter or darker."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "copy", "Copy", "chosen pixels as they are",
    Brush(size_px=30, edge=0.5, flow=0.6), takes=True, by_choice=True, modes=("any", "lighter", "darker"),
)
