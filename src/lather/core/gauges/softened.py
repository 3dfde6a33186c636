"""What is left of each softened find: of hollows under the eyes, and of creases."""

from collections.abc import Collection

import numpy as np

from lather.core.gauges.base import Gauge
from lather.core.gauges.compared import Compared
from lather.core.gauges.maps import around_finds
from lather.core.job.finds import Find
from lather.core.kinds.registry import SOFTENED
from lather.core.measure.residual import find_contrast, residual_share


def left_of(pictures: Compared, find: Find) -> float | None:
    """Share of a find's contrast that is left, 0-1 and more."""
    return residual_share(*(find_contrast(find, read, pictures.bounds, pictures.profile) for read in pictures.reads()))


def shares_left(pictures: Compared) -> dict[str, list[float]]:
    """{kind: shares in %} of the softened finds that can be told."""
    left: dict[str, list[float]] = {}
    for find in pictures.finds:
        share = left_of(pictures, find) if find.kind in SOFTENED else None
        if share is not None:
            left.setdefault(find.kind, []).append(100 * share)
    return left


def left_gauge(name: str, label: str, kinds: Collection[str], untold: str, limit_times: float = 100) -> Gauge:
    """What is left of the softened finds of some kinds, on the mean, in %; further words as in `Gauge`."""
    def measure(pictures: Compared) -> float | None:
        left = [share for kind, shares in pictures.once(shares_left).items() if kind in kinds for share in shares]
        return float(np.mean(left)) if left else None

    return Gauge(name, label, "%", measure, track=120.0, limit_times=limit_times, untold=untold,
                 where=lambda pictures: around_finds(pictures, [f for f in pictures.finds if f.kind in kinds]),
                 stages=("mend", "split", "even", "sculpt"))
