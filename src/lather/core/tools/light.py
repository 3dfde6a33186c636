"""Light on the form."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

BRUSH = Brush(size_px=130, edge=1.0, ceiling=0.25, flow=0.25)

TOOL = Tool("light", "Light", "light where the form rises towards it", BRUSH, mends=False, lays_over_keepers=False,
            shifted="shade")
