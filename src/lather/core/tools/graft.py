"""An outline filled with clean skin that is dragged into place."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "graft", "Graft", "draw an outline; Lather proposes the skin, drag it where it fits best",
    Brush(size_px=60, edge=0.3), by_outline=True, whole=True, takes=True, heals=True,
)
