"""What Colour proposes for a plan."""

from lather.core.job.limits import band
from lather.core.phrases import joined, phrase
from lather.core.stages.planned import Planned, PlanSeen, left

_WHITENED_NOT = ("identity-true", "newborn/child")


def planned(seen: PlanSeen) -> Planned:
    """What Colour proposes for a plan."""
    known = (("redness", "redness"), ("shine", "shine"), ("red_eye", "red eyes"))
    words = [word for kind, word in known if seen.counts.get(kind)]
    whitens = seen.has_face and seen.kind not in _WHITENED_NOT
    if whitens:
        teeth = seen.teeth_seen and seen.agreed["teeth"] != "no"
        words.append("eye whites, teeth" if teeth else "eye whites")
    if not words:
        return left("no redness, shine or red eye will show")
    leave = round(100 * band(seen.kind, "calm_leave").low)
    return Planned(True, joined(words, ", "), phrase("leave %1 %", leave), {"leave_percent": leave},
                   area=0.3 if whitens else 0.0, weight=8.0 if whitens else 0.0)
