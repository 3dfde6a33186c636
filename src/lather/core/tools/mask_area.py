"""An outline added to the mask of an adjustment."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("mask_area", "Outline", "adds what lies inside an outline to where the layer acts",
            Brush(size_px=60, edge=1.0), by_outline=True, whole=True, mends=False, lays_over_keepers=False,
            spares=True)
