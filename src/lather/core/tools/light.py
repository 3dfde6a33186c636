"""Light on the form."""

from lather.core.brush.values import Brush
from lather.core.tools.base import Tool

BRUSH = Brush(size_px=130, edge=1.0, ceiling=0.25, flow=0.25)

ON_SKIN_ONLY = "skin"
WHERE = ("anywhere", ON_SKIN_ONLY)
"""Modes: wherever it is painted (hair, cloth), or on skin only."""

TOOL = Tool("light", "Light", "light where the form rises towards it", BRUSH, modes=WHERE, mends=False,
            lays_over_keepers=False, shifted="shade", spares=True)
