"""What Crisp proposes for a plan."""

from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left

FINE_SHARE = 0.0018  # of the face's width
FINE_PX = (0.6, 6.0)


def planned(seen: PlanSeen) -> Planned:
    """What Crisp proposes for a plan."""
    if not seen.has_face:
        return left("no eyes or lips were found")
    radius = round(min(FINE_PX[1], max(FINE_PX[0], FINE_SHARE * seen.face_px)), 1)
    return Planned(True, "eyes, lashes, lips", phrase("%1 px, 50 %",
                                                      f"{radius:.1f}"), {"radius_px": radius, "strength_percent": 50},
                   area=0.2, weight=12.0, start=("radius_px", radius, "px"))
