"""A distance of the face, set by number or by its points."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("measure", "Measure", "sets a distance of the face", Brush(size_px=120, edge=1.0), whole=True, waits=True,
            mends=False, lays_over_keepers=False, icon="push")
