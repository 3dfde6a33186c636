"""Blotch residual: the light that bare skin still needs, whichever way the light on it falls."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import where_tone_changed
from lather.core.stages.light.cells import Field
from lather.core.stages.light.needed import BARE, NeededLight, needed_lightness, new_cells

_LEAST_SHARE = 0.002  # of the picture that is bare skin, under which it cannot be told


def blotch_residual(field: Field) -> float | None:
    """Mean |ΔL*| that bare skin needs. field: of `NeededLight.over`."""
    bare = field.values[..., BARE]
    if bare.mean() < _LEAST_SHARE:
        return None
    return float((np.abs(needed_lightness(field)) * bare).sum() / bare.sum())


def measure(pictures: Compared) -> float | None:
    """Mean |ΔL*| of the light that bare skin still needs; None without the network's word or without skin."""
    seen, box = pictures.seen_after, pictures.measures.skin_box
    if pictures.needed is None:
        return blotch_residual(NeededLight(new_cells()).at_once(seen, box))
    return blotch_residual(pictures.needed.over(seen, box))


GAUGE = Gauge("blotch_residual", "Blotches left", "ΔL*", measure, track=1.5, written="{:.2f} ΔL*", lowered_by="Even",
              where=where_tone_changed, stages=("split", "even"))
