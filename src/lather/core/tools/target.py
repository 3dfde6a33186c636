"""The skin that Match carries the reference's colour to, as an outline."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("target", "Target", "outline the skin to be matched", Brush(size_px=60, edge=1.0), by_outline=True,
            whole=True, mends=False, lays_over_keepers=False, spares=True)
