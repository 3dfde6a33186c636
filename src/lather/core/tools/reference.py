"""The skin that Match takes its colour from, as an outline."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("reference", "Reference", "outline skin whose colour you trust", Brush(size_px=60, edge=1.0),
            by_outline=True, whole=True, mends=False, lays_over_keepers=False, lays=False)
