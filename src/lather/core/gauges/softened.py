"""What is left of each softened find: of hollows under the eyes, and of creases."""

from lather.core.gauges.compared import Compared
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
