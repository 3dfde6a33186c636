"""Largest move: how far anything was pushed, by the field itself where there is one."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.measure.bands import moved_px


def measure(pictures: Compared) -> float | None:
    """How far anything was moved, in % of the width of the face."""
    if pictures.warp is not None:
        return 100 * pictures.warp.largest[0] / pictures.measures.face_width_px
    moved = moved_px(*(lab[..., 0] for lab in pictures.small), pictures.skin > 0.5)
    return 100 * moved / pictures.face_small_px


GAUGE = Gauge("largest_move", "Largest move", "% of face width", measure, track=10.0, written="{:.1f} %",
              stages=("shape",), untold="nothing could be followed")
