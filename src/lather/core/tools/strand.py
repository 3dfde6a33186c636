"""A hair cleared along its path, from tip to root."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool(
    "strand", "Strand", "paint along a hair; Lather lays the path on it and clears it",
    Brush(size_px=14, edge=0.0), whole=True, waits=True,
)
