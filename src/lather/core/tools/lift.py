"""Light where skin is too dark."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

ASSISTED, AROUND, FREE = "assisted", "around", "free"
STROKES = (ASSISTED, AROUND, FREE)
"""Modes: as much as is known to be missing; as much as the surroundings of the very place say; as painted."""
BRUSH = Brush(size_px=60, edge=1.0, ceiling=0.14, flow=0.14)

TOOL = Tool("lift", "Lift", "lays down the light that is missing", BRUSH, modes=STROKES, mends=False,
            shifted="lower", spares=True)
