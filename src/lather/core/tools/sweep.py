"""Low-opacity smoothing along the form."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "sweep", "Sweep", "low-opacity smoothing along the form; every stroke takes its skin anew",
    Brush(size_px=90, edge=0.8, ceiling=0.14, flow=0.14),
    spares=True, smooths=True,
)
