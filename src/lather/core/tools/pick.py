"""A colour taken from the photo: what an adjustment goes by."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("pick", "Pick", "touch the photo: the colour there is what the layer goes by", Brush(size_px=12),
            whole=True, waits=True, mends=False, lays_over_keepers=False, lays=False)
