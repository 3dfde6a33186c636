"""Down left: how much of the photo's fine hair is still there, where there was a field of it."""

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.measure.down import Down, measure_down
from lather.core.stages.strands.down import DownKind

_TILES = 8


def measure(pictures: Compared) -> float | None:
    """Energy of fine hair after, in % of that before, over the zones that had down; None where none was taken out."""
    job = pictures.job
    if job is not None and not any(layer.kind == DownKind.id for layer in job.stage("strands").layers):
        return None
    both = pictures.before, pictures.after
    before, after = (measure_down(pictures.measures, read, most_tiles=_TILES) for read in both)
    seen = {zone.zone for zone in before.zones if zone.seen}
    was, now = (_energy(down, seen) for down in (before, after))
    return 100 * now / was if was > 0 else None


def _energy(down: Down, zones: set[str]) -> float:
    return sum(zone.area_px * zone.energy for zone in down.zones if zone.zone in zones)


GAUGE = Gauge("down_left", "Down left", "%", measure, track=120.0, limit_times=100, stages=("strands",),
              lowered_by="leaving more of it in Down", untold="no down was taken out")
