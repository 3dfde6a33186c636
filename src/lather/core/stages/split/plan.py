"""What Split proposes for a plan."""

from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left

_USUAL_SHARE = 0.006  # of the face's width, where the texture could not be measured
_VEIL_SHARE = 0.4  # of the time that evening by outlines takes: one wide brush, once over


def planned(seen: PlanSeen) -> Planned:
    """What Split proposes for a plan."""
    if seen.skin_faces <= 0:
        return left("no skin was found to part")
    width = round(seen.split_px or max(2.0, _USUAL_SHARE * seen.face_px), 1)
    if seen.tool == "veil":
        return Planned(True, "a veil painted in at part strength", phrase("%1 px, 50 %", width),
                       {"width_px": width, "strength_percent": 50}, area=_VEIL_SHARE * seen.skin_faces, weight=40.0,
                       start=("width_px", width, "px"))
    return Planned(True, "tone evened under the texture", phrase("width %1 px", width), {"width_px": width},
                   area=seen.skin_faces, weight=40.0, start=("width_px", width, "px"))
