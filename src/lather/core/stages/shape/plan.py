"""What Shape proposes for a plan."""

from lather.core.job.limits import band
from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left


def planned(seen: PlanSeen) -> Planned:
    """What Shape proposes for a plan."""
    most = band(seen.kind, "measure_each")
    if not most.high:
        return left(most.why)
    if seen.agreed["reshaping"] != "yes":
        return left("not agreed")
    return Planned(True, "as agreed with the client", phrase("each ≤ %1 % of the face", f"{most.high:g}"),
                   {"measure_each_percent": most.high}, area=1.0, weight=30.0)
