"""All kinds of finds, in the order in which lists name them."""

from lather.core.kinds import (
    blemish_bright,
    blemish_dark,
    blemish_red,
    blotch,
    blotch_bright,
    blotch_dark,
    braces,
    brow_hair,
    cloth_speck,
    colour_left,
    crease,
    drawn_mark,
    flake,
    freckle,
    hair_on_skin,
    intruder,
    jewellery_mark,
    lens_mark,
    makeup_fold,
    mole,
    red_eye,
    redness,
    scar,
    shine,
    smeared_lip,
    strap_mark,
    stray_hair,
    under_eye,
    vein_eye,
    vein_nose,
)
from lather.core.kinds.base import FindKind

KINDS: dict[str, FindKind] = {module.KIND.id: module.KIND for module in (
    blemish_dark,
    blemish_red,
    blemish_bright,
    flake,
    mole,
    freckle,
    drawn_mark,
    scar,
    crease,
    makeup_fold,
    under_eye,
    strap_mark,
    jewellery_mark,
    vein_nose,
    vein_eye,
    hair_on_skin,
    brow_hair,
    stray_hair,
    smeared_lip,
    cloth_speck,
    lens_mark,
    intruder,
    braces,
    blotch_dark,
    blotch_bright,
    blotch,
    colour_left,
    redness,
    shine,
    red_eye,
)}
SOFTENED = tuple(kind.id for kind in KINDS.values() if kind.softened)
"""Kinds that belong to the person: mended on a layer of their own at part strength, never wholly."""
KEEPERS = tuple(kind.id for kind in KINDS.values() if kind.keeper)


def kind_of(kind: str) -> FindKind:
    """The kind of that id; one that this version does not know is listed under Mend, and mended by hand."""
    return KINDS.get(kind) or FindKind(kind, kind, by_hand=True)


def stage_of_kind(kind: str) -> str:
    """The stage that takes a kind of find away when nobody says otherwise."""
    return kind_of(kind).stage


def listed_in(kind: str, stage_id: str) -> bool:
    """True if finds of a kind stand in a stage's list."""
    return stage_id == kind_of(kind).stage or stage_id in kind_of(kind).also_in
