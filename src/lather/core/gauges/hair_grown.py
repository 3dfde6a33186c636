"""Hair grown: how many hairs were laid that were not there."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.stages.strands.grow_hair import count_of


def measure(pictures: Compared) -> float | None:
    """Hairs laid by Grow, each as much as its layer's strength; None where none was, or where the job is not known."""
    if pictures.job is None:
        return None
    stage = pictures.job.stage("strands")
    grown = [(layer.strength * stage.strength, edit) for layer in stage.layers if layer.on for edit in layer.edits
             if edit.tool == "grow_hair"]
    return sum(strength * count_of(edit) for strength, edit in grown) if grown and stage.on else None


GAUGE = Gauge("hair_grown", "Hair grown", "", measure, track=120.0, written="{:.0f}", stages=("strands",),
              lowered_by="taking some of the grown hair out", untold="no hair was grown")
