"""What Even proposes for a plan."""

from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left

_LEFT_DL = 0.8  # L* of unevenness that is left on purpose
_BRUSH = (0.06, 0.14)  # of the face's width


def planned(seen: PlanSeen) -> Planned:
    """What Even proposes for a plan."""
    if seen.skin_faces <= 0:
        return left("no skin was found to even")
    if not seen.counts and seen.uneven <= _LEFT_DL:
        return left("the light of the skin is even enough")
    low, high = (round(share * seen.face_px) for share in _BRUSH)
    what = phrase("blotches %1 → %2 ΔL*", f"{seen.uneven:.1f}", f"{min(_LEFT_DL, seen.uneven):.1f}")
    return Planned(True, what, phrase("%1–%2 px, at 14 %", low, high),
                   {"ceiling_percent": 14, "flow_percent": 14, "brush_px": [low, high]}, area=seen.skin_faces,
                   weight=10.0)
