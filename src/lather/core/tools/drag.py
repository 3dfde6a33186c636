"""Pixels pulled along under the pen."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "drag", "Drag", "pulls pixels along under the pen",
    Brush(size_px=40, edge=0.6, flow=0.6), mends=False,
)
