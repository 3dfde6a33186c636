"""What was held moves again."""

from lather.core.tools.base import Tool
from lather.core.tools.hold import TOOL as HOLD

TOOL = Tool("let_go", "Let go", "lets what is held move again", HOLD.brush, mends=False, lays_over_keepers=False,
            mirrors=True, shifted="hold", icon="hold")
