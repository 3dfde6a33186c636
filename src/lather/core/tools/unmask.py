"""Taken from the mask of an adjustment: where it is not to act."""

from lather.core.tools.base import Tool
from lather.core.tools.mask import BRUSH

TOOL = Tool("unmask", "Take away", "takes from where the layer acts", BRUSH, mends=False, lays_over_keepers=False,
            shifted="mask")
