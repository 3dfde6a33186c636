"""What is no flaw: rules that stand before what any network says, each with a name.

A find that a rule speaks against is left alone, and keeps the name of the rule, so that the person can see why and
have it listed all the same. Source of the rules: what retouchers saw go wrong on photographs.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import cv2
import numpy as np

from lather.core.find.lines.beard import beard_mask, is_hidden
from lather.core.find.scene import FindScene
from lather.core.find.spots.glints import is_glint
from lather.core.job.drawn_marks import lies_on
from lather.core.job.face_map import SIDES, FaceMap
from lather.core.job.face_mesh import EYES, LIDS, MOUTH_CORNERS, NOSE_TIP, NOSTRILS, OVAL
from lather.core.job.finds import Find
from lather.core.people.contours import WINGS
from lather.core.phrases import worded
from lather.core.types import Mask

LINES = ("crease", "hair_on_skin", "scar", "makeup_fold", "strap_mark", "jewellery_mark", "vein_nose")
SPOTS = ("blemish_dark", "blemish_red", "blemish_bright", "flake")
BLOTCHES = ("blotch_dark", "blotch_bright", "blotch", "colour_left")
GROUND = ("cloth_speck", "lens_mark")
_FACE_LINES = ("jaw", "wing", "nostril", "lips", "lid")
_ALONG, _ACROSS = 1 / 3, 0.5  # share of a line on a contour; of a stray hair's
_ON_CONTOUR = 0.75  # widths
_CORNER, _NOSTRIL, _WING, _LID = 0.05, 0.025, 0.02, 0.02  # face widths around each
_EAR_OUT = 0.16  # face widths beyond the face's oval
_EAR_UP, _EAR_DOWN = 0.22, 0.1  # eye distances above the eyes, and below the tip of the nose
_NOSE_TIP = 0.09  # face widths
_HAIRY, _HAIR_NEAR_MM, _HAIR_AT_ROOT = 0.35, 4.0, 0.3
_AT_A_HEAD = 1.5  # head sizes from its middle
_TIP_MM, _OWN_SKIN, _ON_CLOTH, _HARDLY_CLOTH, _GROUND = 4.0, 0.3, 0.5, 0.3, 0.3
_SKIN_COLOUR, _SKIN_LIGHT = 7.0, 28.0  # a* and b* together, and L*, off somebody's usual skin
_STRAIGHT, _LEAST_PARALLEL, _PARALLEL = 0.99, 4, np.radians(5.0)
_HAIR_ON_BLOTCH = 0.08
_SMALL = {  # kinds that are nothing but a few pixels on a small face: least px per mm that tells them
    "smeared_lip": 2.2, "jewellery_mark": 2.2, "strap_mark": 1.8, "vein_nose": 2.5, "vein_eye": 2.5, "makeup_fold": 2.2,
    "scar": 1.8, "flake": 1.8, "brow_hair": 3.0, "cloth_speck": 1.6,
}
_TELLS_MARKS = 2.0  # px per mm
_ASKED = 0.6  # confidence of what is only asked of
_BEYOND_DOUBT = 0.9  # what a finder says of a spot on a face large enough to show its pores
_BY_PLACE = ("contour", "red_by_nature", "feature", "ear")  # rules that go by where a find lies, not by its look
_SAME_GROUND = 8.0  # ΔE (76) off the middle of all ground
_RED = ("redness", "blemish_red")
_KNUCKLE = 2.0  # widths of the contour of a limb


class Around:
    """What is asked about the places of finds, measured once for all rules."""

    def __init__(self, scene: FindScene, finds: Sequence[Find] = ()):
        self.scene, self.people, self.contours = scene, scene.measures.people, scene.contours
        self.marks = [find for find in finds if find.kind == "drawn_mark"]
        self._small: dict[str, np.ndarray] = {}
        paths = [np.array(find.path) for find in finds if find.kind == "stray_hair" and find.path is not None]
        chords = [path[-1] - path[0] for path in paths]
        self._straight = np.array([np.arctan2(chord[1], chord[0]) for chord, path in zip(chords, paths)
                                   if np.hypot(*chord) > _STRAIGHT * _length(path)])

    @cached_property
    def beard(self) -> Mask | None:
        """Where a beard grows, at the scale of the scene."""
        return beard_mask(self.scene)

    def share(self, what: str, places) -> np.ndarray:
        """Share 0-1 of a group of parts at places (n, 2) in source px."""
        if what not in self._small:
            self._small[what] = self.people.small(what)
        small = self._small[what]
        at = (np.asarray(places, float).reshape(-1, 2) / self.people.scale).astype(int)
        return small[np.clip(at[:, 1], 0, small.shape[0] - 1), np.clip(at[:, 0], 0, small.shape[1] - 1)]

    def near(self, what: str, find: Find, reach_mm: float) -> float:
        """Largest share of a group around a find."""
        turn = np.linspace(0, 2 * np.pi, 12, endpoint=False)
        rim = np.stack([np.cos(turn), np.sin(turn)], 1)
        reach = reach_mm * self.scene.measures.pixels_per_mm + 0.5 * find.size_px
        places = np.concatenate([[(find.x, find.y)], *((find.x, find.y) + r * reach * rim for r in (0.5, 1.0))])
        return float(self.share(what, places).max())

    def colour_around(self, find: Find) -> np.ndarray | None:
        """Median Lab of a ring around a find; None off the picture."""
        (x, y), lab = (find.x / self.scene.step, find.y / self.scene.step), self.scene.whole_lab
        reach = max(4.0, 1.5 * find.size_px / self.scene.step)
        turn = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        at = np.concatenate([(x, y) + r * reach * np.stack([np.cos(turn), np.sin(turn)], 1) for r in (0.8, 1.0)])
        at = at[(at >= 0).all(1) & (at[:, 0] < lab.shape[1]) & (at[:, 1] < lab.shape[0])].astype(int)
        return np.median(lab[at[:, 1], at[:, 0]], axis=0) if len(at) > 8 else None

    @cached_property
    def ground_colour(self) -> np.ndarray:
        """Median Lab of all that is behind the people; not a number where nothing is."""
        small = cv2.resize(self.scene.whole_lab, self.people.small("ground").shape[::-1], interpolation=cv2.INTER_AREA)
        behind = small[self.people.small("ground") > 0.9]
        return np.median(behind, axis=0) if len(behind) else np.full(3, np.nan)

    def is_darker(self, find: Find) -> bool:
        """True of a find that is darker than what is around it."""
        around_it = self.colour_around(find)
        lab = self.scene.whole_lab
        row, column = (min(n - 1, int(v / self.scene.step)) for n, v in zip(lab.shape, (find.y, find.x)))
        return around_it is not None and float(lab[row, column, 0]) < float(around_it[0]) - 1.0

    def face_of(self, find: Find) -> FaceMap | None:
        """The face that a find lies on or next to."""
        faces = [face for face in self.scene.measures.faces if face.mesh]
        away = [np.hypot(*(face.frame[0] - (find.x, find.y))) / face.width_px for face in faces]
        return faces[int(np.argmin(away))] if away and min(away) < 1.6 else None

    def parallels(self, path: np.ndarray) -> int:
        """How many other lines before the ground run straight and the same way."""
        chord = path[-1] - path[0]
        apart = np.abs(np.angle(np.exp(2j * (self._straight - np.arctan2(chord[1], chord[0]))))) / 2
        return int((apart < _PARALLEL).sum()) - 1

    def per_mm(self, find: Find) -> float:
        """Source pixels to a millimetre of the face that a find lies on."""
        face = self.face_of(find)
        return face.pixels_per_mm if face is not None else self.scene.measures.pixels_per_mm


@dataclass(frozen=True)
class Rule:
    """label: what is said of a find that is left alone. speaks_against(find, around). kinds: () for all.

    last: it is asked once finds of one place are one, as it goes by how sure they are.
    """

    id: str
    label: str
    kinds: tuple[str, ...]
    speaks_against: Callable[[Find, Around], bool]
    last: bool = False

    def __post_init__(self):
        worded(self, "label")


def _on_ink(find: Find, around: Around) -> bool:
    return find.kind != "drawn_mark" and lies_on(around.marks, find)


def _on_contour(find: Find, around: Around) -> bool:
    if find.path is not None and len(find.path) > 1:
        path = np.array(find.path)
        if find.kind == "stray_hair":
            return around.contours.along(path, "jaw", "limb", "clothes", "person", "lips", "wing") > _ALONG
        return around.contours.along(path) > _ALONG or (
            find.kind != "crease" and around.contours.along(path, "fold") > _ACROSS)
    return float(around.contours.off(np.array([[find.x, find.y]]), *_FACE_LINES)[0]) < _ON_CONTOUR


def _at_a_feature(find: Find, around: Around) -> bool:
    face = around.face_of(find)
    if face is None:
        return False
    mesh, width = face.mesh_px, face.width_px
    place = (float(find.x), float(find.y))
    for side in SIDES:
        if np.hypot(*(mesh[MOUTH_CORNERS[side]] - place)) < _CORNER * width:
            return True
        for outline, reach in ((NOSTRILS[side], _NOSTRIL), (EYES[side], _LID)):
            if cv2.pointPolygonTest(np.float32(mesh[list(outline)]), place, True) > -reach * width:
                return True
        wing = mesh[list(WINGS[side])]
        if np.hypot(*(wing - place).T).min() < _WING * width:
            return True
    return False


def _in_the_ear(find: Find, around: Around) -> bool:
    face = around.face_of(find)
    if face is None:
        return False
    u, v = (float(n) for n in face.in_frame(find.x, find.y))
    nose = float(face.in_frame(*face.mesh_px[NOSE_TIP])[1])
    if not -_EAR_UP < v < nose + _EAR_DOWN:
        return False
    oval = np.float32(face.mesh_px[list(OVAL)])
    out = -cv2.pointPolygonTest(oval, (float(find.x), float(find.y)), True)
    return 0 < out < _EAR_OUT * face.width_px and abs(u) > 0.6


def _without_a_root(find: Find, around: Around) -> bool:
    root = np.array(find.path[-1])
    heads = [person.head for person in around.people.persons]
    if any(np.hypot(*(root - head.middle)) < _AT_A_HEAD * head.size for head in heads):
        return False  # cropped hair is hardly read
    reach = _HAIR_NEAR_MM * around.scene.measures.pixels_per_mm
    turn = np.linspace(0, 2 * np.pi, 8, endpoint=False)
    places = np.concatenate([[root], *(root + r * reach * np.stack([np.cos(turn), np.sin(turn)], 1)
                                       for r in (0.5, 1.0))])
    return float(around.share("scalp hair", places).max()) < _HAIR_AT_ROOT


def _of_the_ground(find: Find, around: Around) -> bool:
    path = np.array(find.path)
    return (np.hypot(*(path[-1] - path[0])) > _STRAIGHT * _length(path)
            and around.parallels(path) >= _LEAST_PARALLEL)


def _in_hair(find: Find, around: Around) -> bool:
    places = np.array(find.path) if find.path is not None else np.array([[find.x, find.y]])
    return float(around.share("scalp hair", places).mean()) > _HAIRY


def _on_skin(find: Find, around: Around) -> bool:
    return around.near("skin", find, 0.5) > _OWN_SKIN


def _on_what_looks_like_skin(find: Find, around: Around) -> bool:
    """By the colour around it, where skin was taken for cloth: an arm, a shoulder. Not a mark of the lens before a
    ground that is of such a colour everywhere.
    """
    around_it = around.colour_around(find)
    if around_it is None:
        return False
    if find.kind == "lens_mark" and around.near("ground", find, 0.0) > _GROUND and (
            np.linalg.norm(around_it - around.ground_colour) < _SAME_GROUND):
        return False
    off = min((float(np.hypot(*(around_it[1:] - np.array(person.colour.lab[1:])))) for person in around.people.persons
               if person.colour is not None and abs(around_it[0] - person.colour.lab[0]) < _SKIN_LIGHT), default=99.0)
    return off < _SKIN_COLOUR


def _hair_tip(find: Find, around: Around) -> bool:
    """Before the ground; hair that falls over cloth is told from it too badly to say so."""
    off_cloth = around.near("ground", find, _TIP_MM) > _GROUND or around.near("cloth", find, 0.0) < _HARDLY_CLOTH
    return off_cloth and around.near("hair", find, _TIP_MM) > _HAIRY


def _not_on_cloth(find: Find, around: Around) -> bool:
    people = around.people
    return bool(people.persons) and around.near("cloth", find, 0.0) < _ON_CLOTH and (
        around.near("ground", find, 0.0) > _GROUND)


def _blotch_on_hair(find: Find, around: Around) -> bool:
    inside = np.array([(find.x, find.y), *find.outline])
    return float(around.share("hair", inside).mean()) > _HAIR_ON_BLOTCH


def _on_a_lid(find: Find, around: Around) -> bool:
    face = around.face_of(find)
    return face is not None and any(
        cv2.pointPolygonTest(np.float32(face.mesh_px[list(LIDS[side])]), (float(find.x), float(find.y)), False) >= 0
        for side in SIDES)


def _red_by_nature(find: Find, around: Around) -> bool:
    face = around.face_of(find)
    if face is not None:
        if np.hypot(*(face.mesh_px[NOSE_TIP] - (find.x, find.y))) < _NOSE_TIP * face.width_px:
            return True
        if face.holds(find.x, find.y):
            return False
    return float(around.contours.off(np.array([[find.x, find.y]]), "limb", "clothes")[0]) < _KNUCKLE


def _may_be_a_mark(find: Find, around: Around) -> bool:
    """Off the face, where a dark spot is a few pixels: nobody can tell a blemish from a mole there."""
    return around.per_mm(find) < _TELLS_MARKS and not any(
        face.holds(find.x, find.y) for face in around.scene.measures.faces)


def _too_small(find: Find, around: Around) -> bool:
    return around.per_mm(find) < _SMALL[find.kind]


def _in_a_beard(find: Find, around: Around) -> bool:
    return is_hidden(find, around.beard, around.scene)


def _length(path: np.ndarray) -> float:
    return max(float(np.hypot(*np.diff(path, axis=0).T).sum()), 1e-6)


RULES: tuple[Rule, ...] = (
    Rule("ink", "drawn on the skin", (), _on_ink),
    Rule("contour", "contour", (*LINES, *SPOTS, "stray_hair", "redness", "shine", "smeared_lip"), _on_contour),
    Rule("red_by_nature", "red by nature", _RED, _red_by_nature),
    Rule("feature", "nostril, nose wing, mouth or lid",  # veins lie beside the wings: of them the contour says
         (*(kind for kind in LINES if kind != "vein_nose"), *SPOTS, "redness", "shine"), _at_a_feature),
    Rule("ear", "inside the ear", (*LINES, *SPOTS, "redness", "shine"), _in_the_ear),
    Rule("no_root", "does not grow out of hair", ("stray_hair",), _without_a_root),
    Rule("ground", "lines of the ground", ("stray_hair",), _of_the_ground),
    Rule("hair", "in the hair", (*SPOTS, "crease", "redness", "shine", "freckle", "mole", "scar"), _in_hair),
    Rule("on_skin", "on skin: it may be a mark to keep", GROUND, _on_skin),
    Rule("like_skin", "on what looks like skin: it may be a mark to keep", GROUND, _on_what_looks_like_skin),
    Rule("hair_tip", "tip of a hair", GROUND, _hair_tip),
    Rule("no_cloth", "not on cloth", ("cloth_speck",), _not_on_cloth),
    Rule("hairline", "hairline or under hair", BLOTCHES, _blotch_on_hair),
    Rule("makeup", "lid or make-up on it", BLOTCHES, _on_a_lid),
    Rule("mark", "dark and small on the body: it may be a mark to keep", ("blemish_dark",), _may_be_a_mark),
    Rule("too_small", "too small on this face to tell", tuple(_SMALL), _too_small),
    Rule("beard", "beard or stubble", (), _in_a_beard, last=True),
    Rule("highlight", "highlight", ("flake", "blemish_bright"), lambda find, around: is_glint(find, around.scene),
         last=True),
)
"""In the order in which they are asked: the first that speaks against a find names why it is left alone."""


def rule_named(rule_id: str) -> Rule | None:
    """The rule of that id; None of one that this version does not know."""
    return next((rule for rule in RULES if rule.id == rule_id), None)


def reason(find: Find) -> str:
    """Why a find was left alone, in a word or two."""
    rule = rule_named(find.left_alone)
    return rule.label if rule is not None else find.left_alone


def marks_to_ask_of(alone: Sequence[Find], around: Around) -> list[Find]:
    """What was taken for a speck and lies on skin, darker than it, or may be a mark of the body: listed as a mark that
    stays if nobody minds."""
    asked = [find for find in alone if find.left_alone == "mark" or (
        find.left_alone in ("on_skin", "like_skin") and find.kind == "cloth_speck" and around.is_darker(find))]
    return [replace(find, id=find.id.replace(find.kind, "mole"), kind="mole", keeper=True, left_alone="", zone="skin",
                    confidence=_ASKED) for find in asked]


def spots_to_ask_of(alone: Sequence[Find], around: Around) -> list[Find]:
    """Spots that a finder has no doubt of where flaws are rare, such as inside an ear: listed to be looked at, never
    mended unasked. On small faces nothing is beyond doubt.
    """
    return [] if around.scene.is_small else [
        replace(find, left_alone="", confidence=_ASKED) for find in alone
        if find.kind in SPOTS and find.left_alone in _BY_PLACE and find.confidence >= _BEYOND_DOUBT]


def sifted(finds: Sequence[Find], around: Around, *, last: bool) -> tuple[list[Find], list[Find]]:
    """(those that no rule speaks against, those that are left alone, each with the name of its rule)."""
    kept: list[Find] = []
    alone: list[Find] = []
    rules = [rule for rule in RULES if rule.last == last]
    for find in finds:
        against = next((rule for rule in rules if (not rule.kinds or find.kind in rule.kinds)
                        and rule.speaks_against(find, around)), None)
        if against is None:
            kept.append(find)
        else:
            alone.append(replace(find, left_alone=against.id))
    return kept, alone
