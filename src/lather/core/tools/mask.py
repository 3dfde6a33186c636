"""The mask of an adjustment, painted: where it acts."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

BRUSH = Brush(size_px=90, edge=0.8, flow=0.6)

TOOL = Tool("mask", "Paint", "adds to where the layer acts", BRUSH, mends=False, lays_over_keepers=False,
            shifted="unmask", spares=True)
