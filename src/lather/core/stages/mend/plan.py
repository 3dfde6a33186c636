"""What Mend proposes for a plan."""

from lather.core.phrases import phrase
from lather.core.stages.planned import Planned, PlanSeen, left, listed

_NAMES = {
    "blemish_dark": "spots", "blemish_red": "spots", "blemish_bright": "spots", "flake": "flakes", "mole": "marks",
    "freckle": "marks", "scar": "scars", "crease": "creases", "under_eye": "under-eye", "cloth_speck": "specks",
    "lens_mark": "lens marks", "hair_on_skin": "hairs on skin", "brow_hair": "brow hairs",
    "vein_eye": "veins", "vein_nose": "veins",
    "strap_mark": "strap marks", "jewellery_mark": "strap marks", "makeup_fold": "make-up", "smeared_lip": "make-up",
}
_BRUSH, _MORE_PX = 1.6, 4.0  # of a find's size: the brush that mends it
_USUAL_SHARE = 0.025  # of the face's width, where there are no finds


def planned(seen: PlanSeen) -> Planned:
    """What Mend proposes for a plan."""
    if not seen.counts:
        return left("nothing here will show at the delivered size")
    small, large = seen.sizes_px or (_USUAL_SHARE * seen.face_px,) * 2
    low, high = (round(_BRUSH * size + _MORE_PX) for size in (small, large))
    sizes = phrase("%1–%2 px", low, high) if high > low else phrase("%1 px", low)
    middle = round((low * high) ** 0.5)
    return Planned(True, listed(seen.counts, _NAMES), phrase("Dab %1, flow 60 %", sizes),
                   {"brush_px": [low, high], "ceiling_percent": 100, "flow_percent": 60}, weight=0.0,
                   start=("brush_px", float(middle), "px"))
