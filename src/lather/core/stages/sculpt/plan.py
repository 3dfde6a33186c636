"""What Sculpt proposes for a plan."""

from lather.core.job.limits import band
from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left


def planned(seen: PlanSeen) -> Planned:
    """What Sculpt proposes for a plan."""
    most = {way: band(seen.kind, f"sculpt_{way}") for way in ("light", "shade")}
    if not any(limit.high for limit in most.values()):
        return left(most["light"].why)
    if not seen.has_face:
        return left("no face was found to follow")
    stops = max(limit.high for limit in most.values())
    side = "" if seen.light_from == "the front" else phrase(", light from %1", seen.light_from)
    start = phrase("at 25 %, up to %1 stops", f"{stops:g}")
    return Planned(True, phrase("eyes, brows, lips%1", side), start,
                   {"ceiling_percent": 25, "flow_percent": 25, "most_stops": stops}, area=1.0, weight=25.0)
