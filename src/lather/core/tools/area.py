"""The tone inside an outline, smoothed or made flat."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "area", "Area", "draw an outline; the tone inside is smoothed, nothing comes in from outside",
    Brush(size_px=10, edge=0.0), by_outline=True, whole=True, modes=("any", "flat"),
    spares=True, smooths=True,
)
