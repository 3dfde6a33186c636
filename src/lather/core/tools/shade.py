"""Shade on the form."""

from lather.core.tools.base import Tool
from lather.core.tools.light import BRUSH, WHERE

TOOL = Tool("shade", "Shade", "shade where the form falls away from the light", BRUSH, modes=WHERE, mends=False,
            lays_over_keepers=False, shifted="light", spares=True)
