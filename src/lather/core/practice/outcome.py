"""What became of each flaw of a practice plate, and the score of a lesson as the sum of what is shown."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from lather.core.colour.lab import srgb_to_lab
from lather.core.measure.bands import pore_band, tone_error
from lather.core.phrases import phrase
from lather.core.practice.make import Plate
from lather.core.practice.score import KEEPER_DE, REMOVED_DE, PracticeFolder, changed_de, inside, score_picture
from lather.core.practice.sitters import SKIN
from lather.core.types import EncodedRGB, Lab, Mask

GONE, LEFT, SMEARED, KEPT, HURT = "gone", "left", "smeared", "kept", "hurt"
WORDS = {GONE: "Gone, within 2 ΔE", LEFT: "Left", SMEARED: "Smeared", KEPT: "Kept", HURT: "Keeper hurt"}
PARTS = {
    "removed": ("Removed, by visibility", 45), "spared": ("Spared: keepers, clean skin", 20),
    "texture": ("Texture kept", 12), "modelling": ("Modelling kept", 8), "identity": ("Identity, nothing moved", 10),
    "minutes": ("Minutes", 5),
}
"""{part: (label, points)}."""
_SMEARED = 0.55  # of the texture that belongs there, under which it was smoothed away
_NO_TEXTURE = ("stray_hair", "shine", "blotch", "redness", "lens_mark", "cloth_speck")
_TOUCHED_DE = 1.0
_GONE_SHARE = 0.7  # of the error that it was at first
_OF_LIGHT = ("blotch_dark", "blotch_bright")  # told by their light: their colour is another stage's business
_DOWN_NOT_OUT, _DOWN_SHARE = ("shine", "dull_eyes", "yellow_teeth"), 0.5
# Skin with no light on it is flat, eyes and teeth as white as paper are painted: so much of it may stay.
_SEEN_DE, _ALIKE_DE = 0.9, 0.7
_LEAST_PX = 30


@dataclass(frozen=True)
class FlawOutcome:
    """flaw: as in flaws.json. state: GONE, LEFT, SMEARED, KEPT or HURT. error_de: to the truth, keepers to the photo.
    texture: energy there over the truth's; None where there is too little to tell. points: what it costs.
    """

    flaw: Mapping
    state: str
    error_de: float
    texture: float | None
    points: float = 0.0

    @property
    def wrong(self) -> bool:
        """True for what costs points."""
        return self.state in (LEFT, SMEARED, HURT)


@dataclass(frozen=True)
class LessonScore:
    """points: {part: points}, whose sum is the score. touched: share of clean skin that was changed, 0-1, and where.
    automatic: what the best automatic pass reached; None until it is known.
    """

    outcomes: tuple[FlawOutcome, ...]
    points: Mapping[str, float]
    touched: float
    touched_where: Mask
    seconds: float
    automatic: float | None = None
    facts: Mapping[str, float] = field(default_factory=dict)

    @property
    def score(self) -> float:
        """Out of 100, to a tenth."""
        return round(sum(self.points.values()), 1)

    def count(self, state: str) -> int:
        """How many flaws came to this state."""
        return sum(one.state == state for one in self.outcomes)


def folder_of(plate: Plate) -> PracticeFolder:
    """A plate as the scorer wants it."""
    photo, truth = (srgb_to_lab(codes / np.float32(65535)) for codes in (plate.photo, plate.truth))
    return PracticeFolder(photo, truth, plate.zones, [flaw.to_json() for flaw in plate.flaws], None,
                          plate.sitter.face_width_px)


def score_lesson(
    plate: Plate, result: EncodedRGB, *, seconds: float = 0.0, minutes: float | None = None,
    folder: PracticeFolder | None = None,
) -> LessonScore:
    """result: encoded sRGB (h, w, 3), 0-1. minutes: allowed; None: not against the clock.

    What is spared and kept counts as far as flaws were removed: an idle hand spares everything, and scores nothing.
    """
    folder = folder or folder_of(plate)
    after = srgb_to_lab(np.clip(result, 0, 1).astype(np.float32))
    error = tone_error(after, folder.truth, folder.face_width_px)
    parts = score_picture(folder, after, error)
    outcomes = [one for one in (_outcome(folder, after, flaw, error) for flaw in folder.flaws) if one is not None]
    weights = {id(one): one.flaw["contrast_de"] * np.sqrt(one.flaw["size_px"]) for one in outcomes}
    wanted = [one for one in outcomes if one.state in (GONE, LEFT, SMEARED) and one.flaw.get("worth", True)]
    total = sum(weights[id(one)] for one in wanted) or 1.0
    removed = sum(weights[id(one)] for one in wanted if one.state == GONE) / total
    within = 1.0 if minutes is None or seconds <= 60 * minutes else max(0.0, 2 - seconds / (60 * minutes))
    shares = {"removed": removed, "spared": removed * parts.spared, "texture": removed * parts.texture,
              "modelling": removed * parts.modelling, "identity": removed * parts.identity, "minutes": removed * within}
    points = {name: round(float(PARTS[name][1] * share), 1) for name, share in shares.items()}
    cost = PARTS["removed"][1] / total
    outcomes = [FlawOutcome(one.flaw, one.state, one.error_de, one.texture,
                            round(-cost * weights[id(one)], 1) if one.state in (LEFT, SMEARED) else 0.0)
                for one in outcomes]
    clean = _clean_skin(folder)
    touched = (error > _TOUCHED_DE) & clean
    share = float(touched[clean].mean()) if clean.any() else 0.0
    return LessonScore(tuple(outcomes), points, share, touched.astype(np.float32), seconds,
                       facts={"texture": parts.texture, "modelling": parts.modelling, "identity": parts.identity})


def _outcome(folder: PracticeFolder, after: Lab, flaw: Mapping, error: np.ndarray) -> FlawOutcome | None:
    """None for a flaw that can hardly be seen: nobody is asked to find it."""
    if flaw.get("keeper"):
        off = changed_de(folder, after, flaw)
        return FlawOutcome(flaw, KEPT if off <= KEEPER_DE else HURT, off, None)
    zone = folder.zones == flaw["label"] if "label" in flaw else None
    values = inside(error, flaw) if zone is None else error[zone]
    off = float(values.mean()) if values.size else 0.0
    at_first = _error_at_first(folder, flaw, zone)
    if at_first < _SEEN_DE:
        return None
    if flaw["kind"] in _OF_LIGHT:
        off, at_first = (_light_error(folder, lab, flaw) for lab in (after, folder.photo))
    texture = None if flaw["kind"] in _NO_TEXTURE or "label" in flaw else _texture_there(folder, after, flaw)
    most = _DOWN_SHARE * at_first if flaw["kind"] in _DOWN_NOT_OUT else 0.0
    if off > max(most, min(REMOVED_DE, max(_ALIKE_DE, _GONE_SHARE * at_first))):  # a faint one is not gone for that
        return FlawOutcome(flaw, LEFT, off, texture)
    return FlawOutcome(flaw, SMEARED if texture is not None and texture < _SMEARED else GONE, off, texture)


def _error_at_first(folder: PracticeFolder, flaw: Mapping, zone: np.ndarray | None) -> float:
    """Mean tone error of the photo at a flaw."""
    if zone is not None:
        ys, xs = np.nonzero(zone)
        part = np.s_[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1]
        return float(tone_error(folder.photo[part], folder.truth[part], folder.face_width_px)[zone[part]].mean())
    truth = PracticeFolder(folder.truth, folder.truth, folder.zones, [], None, folder.face_width_px)
    return changed_de(truth, folder.photo, dict(flaw))


def _light_error(folder: PracticeFolder, lab: Lab, flaw: Mapping) -> float:
    """Mean error of a flaw's lightness alone, ΔE00."""
    reach = int(flaw["size_px"] + 0.06 * folder.face_width_px) + 8
    part = np.s_[max(0, int(flaw["y"]) - reach) : int(flaw["y"]) + reach,
                 max(0, int(flaw["x"]) - reach) : int(flaw["x"]) + reach]
    truth = folder.truth[part]
    light = np.concatenate([lab[part][..., :1], truth[..., 1:]], -1)
    outline = [[x - part[1].start, y - part[0].start] for x, y in flaw["outline"]]
    moved = dict(flaw) | {"outline": outline, "x": flaw["x"] - part[1].start, "y": flaw["y"] - part[0].start}
    return float(inside(tone_error(light, truth, folder.face_width_px), moved).mean())


def _texture_there(folder: PracticeFolder, after: Lab, flaw: Mapping) -> float | None:
    """Energy of the pores around a flaw, over the truth's."""
    reach = int(0.9 * flaw["size_px"]) + 6
    y0, x0 = max(0, int(flaw["y"]) - reach), max(0, int(flaw["x"]) - reach)
    part = np.s_[y0 : int(flaw["y"]) + reach, x0 : int(flaw["x"]) + reach]
    skin = folder.zones[part] == SKIN
    if skin.sum() < _LEAST_PX:
        return None
    was, now = (pore_band(lab[part], folder.face_width_px)[skin].var() for lab in (folder.truth, after))
    return float(now / was) if was > 1e-4 else None


def _clean_skin(folder: PracticeFolder) -> np.ndarray:
    flawed = np.zeros(folder.zones.shape, np.uint8)
    for flaw in folder.flaws:
        if "label" in flaw:
            flawed[folder.zones == flaw["label"]] = 1
        else:
            cv2.fillPoly(flawed, [np.round(np.array(flaw["outline"])).astype(np.int32).reshape(-1, 1, 2)], 1)
    near = cv2.dilate(flawed, np.ones((2 * int(0.03 * folder.face_width_px) + 5,) * 2, np.uint8)) > 0
    return (folder.zones == SKIN) & ~near


def what_went_wrong(score: LessonScore, strokes: Sequence = (), most: int = 4) -> list[str]:
    """One sentence for each thing to do better, the most costly first."""
    said: list[tuple[float, str]] = []
    for one in score.outcomes:
        where = one.flaw.get("zone") or "the face"
        kind = str(one.flaw["kind"]).replace("_", " ")
        if one.state == HURT:
            said.append((9.0, phrase("%1 at %2, mended: R keeps it.", kind.capitalize(), where)))
    smeared = [one for one in score.outcomes if one.state == SMEARED]
    if smeared:
        where = smeared[0].flaw.get("zone") or "the face"
        places = phrase("%n places (%1)", where, n=len(smeared), one="%n place (%1)")
        said.append((6.0, phrase("Pores smoothed away at %1: take skin instead of blurring.", places)))
    left = [one for one in score.outcomes if one.state == LEFT]
    if left:
        worst = max(left, key=lambda one: one.error_de)
        said.append((len(left), phrase("%1 left; most seen: %2 at %3, %4 ΔE.", len(left),
                                       str(worst.flaw["kind"]).replace("_", " "), worst.flaw.get("zone") or "the face",
                                       f"{worst.error_de:.1f}")))
    if score.touched > 0.01:
        said.append((5.0, phrase("Clean skin touched on %1 % of it: stay on the flaws.", f"{100 * score.touched:.1f}")))
    said += _about_strokes(score, strokes)
    return [text for _, text in sorted(said, key=lambda row: -row[0])[:most]]


def _about_strokes(score: LessonScore, strokes: Sequence) -> list[tuple[float, str]]:
    """Brushes far too large for what they mend, and skin taken from where the light is another."""
    said = []
    wrong = [one for one in score.outcomes if one.wrong or (one.error_de > 1.2 and one.state == GONE)]
    for edit in strokes:
        if not len(edit.points) or edit.by_outline:
            continue
        x, y = (float(v) for v in edit.points[:, :2].mean(0))
        near = [one for one in score.outcomes
                if np.hypot(one.flaw["x"] - x, one.flaw["y"] - y) < edit.brush.size_px]
        if near and edit.brush.size_px > 3.2 * max(one.flaw["size_px"] for one in near) + 12:
            size = max(one.flaw["size_px"] for one in near)
            said.append((2.0, phrase("Size %1 px on a spot of %2 px: smaller spares skin.", f"{edit.brush.size_px:.0f}",
                                     f"{size:.0f}")))
        far = edit.offset is not None and np.hypot(*edit.offset) > 5 * edit.brush.size_px
        if far and any(one in wrong for one in near):
            where = near[0].flaw.get("zone") or "the face"
            said.append((3.0, phrase("Source far from the place at %1: the light there is another.", where)))
    return said[:2]
