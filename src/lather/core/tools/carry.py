"""Chosen skin, its tone fitted to the place."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "carry", "Carry", "chosen skin, its tone fitted to the place",
    Brush(size_px=40, edge=0.5, flow=0.6), takes=True, by_choice=True, heals=True,
)
