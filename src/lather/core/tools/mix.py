"""Tone taken up, carried along and blended in."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "mix", "Mix", "takes up tone, carries it along and blends it in, drying as it goes",
    Brush(size_px=110, edge=0.9, ceiling=0.4, flow=0.12),
    spares=True, smooths=True,
)
