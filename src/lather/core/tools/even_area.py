"""The light inside an outline, evened at a share."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool
from lather.core.tools.lift import AROUND, ASSISTED

TOOL = Tool(
    "even_area", "Even area", "draw an outline; what is uneven inside gets its light, at a share",
    Brush(size_px=60, edge=1.0, ceiling=0.8), by_outline=True, whole=True, modes=(ASSISTED, AROUND),
    spares=True,
)
