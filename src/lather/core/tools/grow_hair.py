"""Hair grown where there is a gap, strand by strand, as the hair beside it grows."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "grow_hair", "Grow", "paint where hair is missing: it grows as the hair beside it; the brush is its length",
    Brush(size_px=36, edge=0.0), whole=True, waits=True, mends=False,
)
