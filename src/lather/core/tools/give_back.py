"""The input of the stage returns."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "give_back", "Give back", "the original returns",
    Brush(size_px=60, edge=0.7, flow=0.6), mends=False, lays_over_keepers=False,
)
