"""A zone of the face, or the ground behind, that whatever comes later does not move."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

INSIDE, OUTSIDE = "inside", "outside"

TOOL = Tool("hold_area", "Hold area", "protects what lies inside an outline", Brush(size_px=60, edge=1.0),
            by_outline=True, whole=True, modes=(INSIDE, OUTSIDE), mends=False, lays_over_keepers=False, icon="hold")
