"""How large the picture is when it is delivered, as far as the job sheet says."""

from lather.core import ranges
from lather.core.types import Rect

USUAL_LONG_CM = 40.0  # of a print, where nothing was agreed


def long_edge_cm(brief: dict) -> float:
    """Long edge of the largest print, cm; `print_cm` of the job sheet."""
    value = brief.get("print_cm")
    if isinstance(value, int | float) and 10 * value in ranges.DELIVERED_MM:
        return float(value)
    return USUAL_LONG_CM


def mm_per_px(brief: dict, bounds: Rect) -> float:
    """Millimetres of the print that a pixel of the photo becomes."""
    return 10 * long_edge_cm(brief) / max(bounds.width, bounds.height, 1)
