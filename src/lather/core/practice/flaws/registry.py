"""All flaws that can be made, one line each, in the order they are drawn (what lies lower first)."""

from collections.abc import Callable
from functools import partial

from lather.core.practice.flaws import areas, colour, foreign, ink, lines, makeup, spots, warps
from lather.core.practice.flaws.base import Flaw, Scene

MAKERS: dict[str, Callable[[Scene], Flaw | None]] = {
    "uneven_ground": colour.make_uneven_ground,
    "red_ears": colour.make_red_ears,
    "red_neck": colour.make_red_neck,
    "red_hands": colour.make_red_hands,
    "blue_forehead": colour.make_blue_forehead,
    "yellow_teeth": colour.make_yellow_teeth,
    "dull_eyes": colour.make_dull_eyes,
    "blotch": areas.make_blotch,
    "redness": areas.make_redness,
    "shine": areas.make_shine,
    "shine_beard": colour.make_shine_beard,
    "under_eye": areas.make_under_eye,
    "smeared_lip": makeup.make_smeared_lip,
    "braces": foreign.make_braces,
    "vein_eye": lines.make_vein_eye,
    "vein_nose": lines.make_vein_nose,
    "strap_mark": areas.make_strap_mark,
    "jewellery_mark": areas.make_jewellery_mark,
    "crease": lines.make_crease,
    "makeup_fold": makeup.make_makeup_fold,
    "scar": spots.make_scar,
    "hair_on_skin": lines.make_hair_on_skin,
    "brow_hair": lines.make_brow_hair,
    "stray_hair": lines.make_stray_hair,
    "intruder": foreign.make_intruder,
    **{kind: partial(spots.make_spot, kind=kind) for kind in spots.SPOTS},
    "flake": spots.make_flake,
    "tooth_gap": warps.make_tooth_gap,
    "warp_cheek": warps.make_warp_cheek,
    "hair_bump": warps.make_hair_bump,
    "cloth_speck": foreign.make_cloth_speck,
    "lens_mark": foreign.make_lens_mark,
    "red_eye": colour.make_red_eye,
    "drawn_mark": ink.make_drawn_mark,
}
