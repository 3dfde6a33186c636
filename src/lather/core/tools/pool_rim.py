"""The rims of a light pool, pulled on the photo."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

TOOL = Tool("pool_rim", "Pool", "pull either rim: dashed full, solid faded out", Brush(size_px=60), whole=True,
            waits=True, mends=False, lays_over_keepers=False, lays=False, icon="pool")
