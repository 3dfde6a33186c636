"""What Finish proposes for a plan."""

from lather.core.stages.planned import Planned, PlanSeen, left


def planned(seen: PlanSeen) -> Planned:
    """What Finish proposes for a plan."""
    if seen.kind == "identity-true":
        return left("the light stays as it was")
    return Planned(True, "light pool, curve", "–", {}, area=0.5, weight=20.0)
