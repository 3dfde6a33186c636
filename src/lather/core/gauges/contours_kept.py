"""Contours kept: the edge of jaw, nose wings, nostrils, lips and lids now against the photo's, at its worst."""

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.measure.contours_kept import EDGES, FACE, Stretch, worst_stretches
from lather.core.types import Mask

_SEEN = 0.97  # what kept less is drawn on its map
_DRAWN = 0.05  # of the picture's longer side: half a drawn stretch


def stretches(pictures: Compared) -> list[Stretch]:
    """Of each contour the stretch that kept least, the worst first."""
    kinds = FACE if pictures.quick else EDGES
    return worst_stretches(pictures.measures.contours.all, pictures.before, pictures.after, pictures.bounds,
                           pictures.profile, kinds=kinds)


def measure(pictures: Compared) -> float | None:
    """Share (%) of its edge that the worst stretch of any contour kept; None where nobody's contours are seen."""
    found = pictures.once(stretches)
    return 100 * min(1.0, max(0.0, found[0].kept)) if found else None


def where_contours_went(pictures: Compared) -> Mask:
    """The stretches that lost some of their edge."""
    out = np.zeros(pictures.measures.small.shape[:2], np.float32)
    ys, xs = np.mgrid[: out.shape[0], : out.shape[1]]
    for stretch in pictures.once(stretches):
        if stretch.kept < _SEEN:
            x, y = stretch.x / pictures.measures.scale, stretch.y / pictures.measures.scale
            near = np.hypot(xs - x, ys - y) < 0.5 * _DRAWN * max(out.shape)
            out[near] = np.maximum(out[near], min(1.0, 1 - stretch.kept))
    return out


GAUGE = Gauge("contours_kept", "Contours kept", "%", measure, track=100.0,
              lowered_by="taking away the edit that crosses it", where=where_contours_went,
              stages=("mend", "strands", "split", "even", "sculpt", "colour"),
              untold="no contour of a person is seen")
