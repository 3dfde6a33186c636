"""Down, one find a zone: where fine hair is more of the texture than bare skin ever has (`measure.down`)."""

import numpy as np

from lather.core.find.scene import FindScene
from lather.core.job.finds import Find
from lather.core.measure.down import SEEN_FROM, Down, DownZone, down_of_scene

KIND = "down"
_SHARES, _CHANCES = (SEEN_FROM, 0.15, 0.3), (0.55, 0.7, 0.85)
"""Of the texture that is hair, and how sure it is a find: never so sure that it goes unasked, as most skin has some."""
_LEAST_PX_PER_MM = 2.5  # under it a hair of down is a tenth of a pixel: what is seen is noise


def find_down(scene: FindScene) -> list[Find]:
    """Fields of down, the most hairy zone first."""
    if scene.measures.pixels_per_mm < _LEAST_PX_PER_MM:
        return []
    down = down_of_scene(scene.measures, scene.lab, scene.fine_hair_light, scene.bare, scene.rect, scene.step)
    return [as_find(zone, down) for zone in down.zones if zone.seen]


def as_find(zone: DownZone, down: Down) -> Find:
    """A zone of `measure_down` as a find: its size is the root of its area, its contrast how strong the hairs are."""
    corners = np.array(zone.outline)
    x, y = corners.mean(0)
    nearer, further = np.roll(corners, -1, 0), corners
    area = 0.5 * abs(float((further[:, 0] * nearer[:, 1] - further[:, 1] * nearer[:, 0]).sum()))
    sure = float(np.interp(zone.share, _SHARES, _CHANCES))
    return Find(f"{KIND}-{x:.0f}-{y:.0f}", KIND, float(x), float(y), float(np.sqrt(area)), zone.strength, sure,
                zone.zone, outline=zone.outline,
                extra={"down": zone.to_json(), "prominences": list(down.prominences)})
