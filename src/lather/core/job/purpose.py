"""What an edit or a layer was made for, as a plain word: programs decide by it, while its note and name are for people.

`find:KIND` (the kind of find it was proposed for), `all_skin`, `measure:ID:SIDE` (SIDE may be empty), `hold:ZONE`,
`line:NAME` (a line behind that is held), `path:ID` (a proposal of Sculpt); of layers: `measures`, `crisp:PART`,
`sculpt:TOOL`. Files of before this had only notes and names: those are read here, as they were called then.
"""

import re
from collections.abc import Iterable, Mapping

ALL_SKIN = "all_skin"
MEASURES_LAYER = "measures"
_WORD = re.compile(r"[a-z0-9_]+(:[^\x00-\x1f]{0,100})?")


def of_find(kind: str) -> str:
    """Of an edit proposed for a kind of find."""
    return f"find:{kind}"


def of_measure(measure: str, side: str) -> str:
    """Of an edit that sets a measure of the face on one side ("" where it has none)."""
    return f"measure:{measure}:{side}"


def of_hold(zone: str) -> str:
    """Of an outline that holds a zone."""
    return f"hold:{zone}"


def of_line(name: str) -> str:
    """Of an edit that keeps a line behind the person straight."""
    return f"line:{name}"


def line_of(purpose: str) -> str:
    """The name of the line that an edit of this purpose holds, or ""."""
    return purpose.removeprefix("line:") if purpose.startswith("line:") else ""


def of_path(path: str) -> str:
    """Of a stroke laid by a proposal of Sculpt."""
    return f"path:{path}"


def of_crisp(part: str) -> str:
    """Of a layer laid by a proposal of Crisp."""
    return f"crisp:{part}"


def of_sculpt(tool: str) -> str:
    """Of the layer that proposals of light, or of shade, are laid on."""
    return f"sculpt:{tool}"


def checked(word: object) -> str:
    """A purpose as it is read from a file: "" where it is none."""
    return word if isinstance(word, str) and _WORD.fullmatch(word) else ""


def of_edit(data: Mapping) -> str:
    """The purpose of an edit as a file holds it; by its note where the file is of before purposes."""
    if "purpose" in data:
        return checked(data["purpose"])
    tool, note = str(data.get("tool", "")), str(data.get("note", ""))
    if tool == "measure":
        label, _, side = note.rpartition(", ") if note.endswith((", left", ", right")) else (note, "", "")
        return of_measure(_MEASURES[label], side) if label in _MEASURES else ""
    if tool == "hold_area":
        return of_hold(note.removeprefix(_HELD)) if note.startswith(_HELD) else ""
    if tool == "straighten":
        return of_line(note) if note else ""
    if tool in ("light", "shade"):
        return of_path(_PATHS[note]) if note in _PATHS else ""
    if note == "all skin":
        return ALL_SKIN
    return of_find(_FINDS[note]) if note in _FINDS else ""


def of_layer(data: Mapping) -> str:
    """The purpose of a layer as a file holds it; by its name where the file is of before purposes."""
    if "purpose" in data:
        return checked(data["purpose"])
    return _LAYERS.get((str(data.get("kind", "")), str(data.get("name", ""))), "")


def first_of(layers: Iterable, purpose: str):
    """The first layer made for something, or None."""
    return next((layer for layer in layers if layer.purpose == purpose), None)


# What notes and names said before purposes (2026-12), whatever they are called today.
_HELD = "held: "
_LAYERS = {
    ("shape", "Measures"): MEASURES_LAYER, ("crisp", "Eyes"): "crisp:eyes", ("crisp", "Lips"): "crisp:lips",
    ("crisp", "Brows and lashes"): "crisp:brows", ("crisp", "Hair"): "crisp:hair", ("sculpt", "Light"): "sculpt:light",
    ("sculpt", "Shade"): "sculpt:shade",
}
_MEASURES = {
    "Across cheekbones": "cheekbones", "Jaw corners": "jaw_corners", "Hollow of cheeks": "cheek_hollows",
    "Chin point, down": "chin_down", "Chin point, out": "chin_out", "Nose wings apart": "nose_wings",
    "Nose tip, up": "nose_tip", "Lid opening": "lids", "Level of the eye": "eye_level",
    "Mouth corners apart": "mouth_corners", "Mouth corners, up": "mouth_level", "Upper lip, fullness": "upper_lip",
    "Lower lip, fullness": "lower_lip", "Hairline, up": "hairline",
}
_PATHS = {
    "forehead": "forehead", "brow bones": "brow_bones", "inner corners": "inner_corners", "nose bridge, tip": "nose",
    "cheekbone, left": "cheekbone_left", "cheekbone, right": "cheekbone_right", "cupid’s bow": "cupids_bow",
    "lower lip": "lower_lip", "chin": "chin", "lid creases": "lid_creases", "lash lines": "lash_lines",
    "nose side, left": "nose_side_left", "nose side, right": "nose_side_right",
    "under cheekbone, left": "under_cheekbone_left", "under cheekbone, right": "under_cheekbone_right",
    "under lower lip": "under_lip", "jaw edge, left": "jaw_left", "jaw edge, right": "jaw_right",
}
_FINDS = {
    "dark spot": "blemish_dark", "red spot": "blemish_red", "bright spot": "blemish_bright", "flake": "flake",
    "mole": "mole", "freckle": "freckle", "scar": "scar", "crease": "crease", "make-up in a fold": "makeup_fold",
    "under-eye": "under_eye", "strap mark": "strap_mark", "chain mark": "jewellery_mark", "vein": "vein_nose",
    "vein in the eye": "vein_eye", "hair on skin": "hair_on_skin", "stray brow hair": "brow_hair",
    "stray hair": "stray_hair", "smeared lip": "smeared_lip", "speck on cloth": "cloth_speck",
    "lens mark": "lens_mark", "intruder": "intruder", "braces": "braces", "dark blotch": "blotch_dark",
    "bright blotch": "blotch_bright", "blotch": "blotch", "colour left": "colour_left", "redness": "redness",
    "shine": "shine", "red eye": "red_eye", "drawn mark": "drawn_mark",
}
