"""The mask of an adjustment grown from a touched place to the edges around it."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("grow", "Grow", "touch a place: the mask grows from there to the edges around it",
            Brush(size_px=60, edge=1.0), by_outline=True, whole=True, mends=False, lays_over_keepers=False)
