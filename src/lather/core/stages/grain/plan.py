"""What Grain proposes for a plan."""

from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left

_LEAST_PERCENT = 0.1


def planned(seen: PlanSeen) -> Planned:
    """What Grain proposes for a plan."""
    percent, size = seen.grain
    if percent < _LEAST_PERCENT:
        return left("the photo has no grain to match")
    return Planned(True, "matched where it was taken", phrase("%1 %, %2 px", f"{percent:.1f}", f"{size:.1f}"),
                   {"level_percent": round(percent, 2), "size_px": round(size, 2)})
