"""What Strands proposes for a plan."""

from lather.core.phrases import joined, phrase
from lather.core.stages.planned import Planned, PlanSeen, left

_SAFE_SHARE = 0.023  # of the face's width around the mass that is left alone


def planned(seen: PlanSeen) -> Planned:
    """What Strands proposes for a plan."""
    if not seen.counts:
        return left("no stray hair will show at the delivered size")
    safe = max(2, round(_SAFE_SHARE * seen.face_px))
    where = [word for kind, word in (("stray_hair", "hairs over the background"), ("hair_on_skin", "over skin"),
                                     ("brow_hair", "at the brows")) if seen.counts.get(kind)]
    return Planned(True, joined(where, ", "), phrase("safe ground %1 px", safe), {"safe_ground_px": safe})
