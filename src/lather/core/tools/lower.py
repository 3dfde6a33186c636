"""Less light where skin is too bright."""

from lather.core.tools.base import Tool
from lather.core.tools.lift import BRUSH, STROKES

TOOL = Tool("lower", "Lower", "takes away the light that is too much", BRUSH, modes=STROKES, mends=False,
            shifted="lift", spares=True)
