"""Score of a retouched practice picture against its known truth."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.errors import PictureError, RequestError
from lather.core.imageio.read import read_picture
from lather.core.measure.bands import modelling_spread, moved_px, texture_energy, tone_error
from lather.core.phrases import phrase
from lather.core.practice.sitters import SKIN
from lather.core.ranges import FIND_CONTRAST_DE, FIND_SIZE_PX, check_places
from lather.core.strict_json import MALFORMED, read
from lather.core.types import Lab, as_float32

REMOVED_DE, CLEAN_DE, KEEPER_DE = 2.0, 1.0, 1.5
_MOST_MOVED = 0.02  # of the face width: so far moved, nothing of the likeness counts
_WEIGHTS = {"removed": 50, "spared": 20, "texture": 12, "modelling": 8, "identity": 10}


@dataclass
class PracticeFolder:
    """What `lather practice make` wrote. photo, truth: Lab (h, w, 3)."""

    photo: Lab
    truth: Lab
    zones: np.ndarray
    flaws: list[dict]
    profile: bytes | None
    face_width_px: float


@dataclass(frozen=True)
class Score:
    """Shares 0-1; `score` out of 100. `sum`: points of each part."""

    score: float
    removed: float
    spared: float
    texture: float
    modelling: float
    identity: float
    by_kind: dict = field(default_factory=dict)
    points: dict = field(default_factory=dict)

    def to_json(self) -> dict:
        """As `lather practice score --json` prints it."""
        shares = {k: round(getattr(self, k), 4) for k in _WEIGHTS}
        return {"score": round(self.score, 1), **shares, "by_kind": self.by_kind, "points": self.points}


def _lab_of(path: Path) -> tuple[Lab, bytes | None]:
    picture = read_picture(path)
    return profiles.to_lab(as_float32(picture.pixels), picture.profile), picture.profile


def read_folder(folder: str | Path) -> PracticeFolder:
    """Raises RequestError or PictureError if something of it is missing or damaged."""
    folder = Path(folder)
    try:
        facts: Any = read(folder / "flaws.json")
        flaws = [_checked(flaw) for flaw in facts["finds"]]
        width = float(facts.get("face_width_px", 0.3 * facts["width"]))
        if not 1 <= width <= 1e6:
            raise ValueError("no width of a face")
    except (OSError, RequestError, *MALFORMED):
        raise RequestError(phrase("%1 is no practice folder: flaws.json is missing or damaged; make one with `lather "
                                  "practice make`.", folder)) from None
    photo, profile = _lab_of(folder / "photo.png")
    truth, _ = _lab_of(folder / "truth.png")
    zones = cv2.imread(str(folder / "zones.png"), cv2.IMREAD_UNCHANGED)
    if zones is None or zones.shape != photo.shape[:2] or truth.shape != photo.shape:
        raise PictureError(phrase("The pictures in %1 do not belong together; make the folder again.", folder))
    return PracticeFolder(photo, truth, zones, flaws, profile, width)


def _checked(flaw: dict) -> dict:
    """A flaw that can be scored. Raises as reading one does."""
    sizes = {key: float(flaw[key]) for key in ("contrast_de", "size_px")}
    FIND_CONTRAST_DE.check(sizes["contrast_de"], "A contrast")
    FIND_SIZE_PX.check(sizes["size_px"], "A size")
    checked = flaw | sizes | {"kind": str(flaw["kind"]), "zone": str(flaw.get("zone") or "")}
    if "label" in flaw:
        return checked | {"label": int(flaw["label"])}
    outline, place = np.array(flaw["outline"], float), np.array([flaw["x"], flaw["y"]], float)
    if outline.ndim != 2 or outline.shape[1] != 2:
        raise ValueError("no outline")
    check_places(outline, "A corner")
    check_places(place, "A place")
    return checked | {"outline": outline.tolist(), "x": float(place[0]), "y": float(place[1])}


def score_picture(folder: PracticeFolder, result: Lab, error: np.ndarray | None = None) -> Score:
    """error: of the result's tone to the truth, where it is known. Raises RequestError if the result has another size.
    """
    if result.shape != folder.truth.shape:
        height, width = folder.truth.shape[:2]
        raise RequestError(phrase("The result is %1 × %2 px, the practice picture %3 × %4; deliver it at full size.",
                                  result.shape[1], result.shape[0], width, height))
    error = tone_error(result, folder.truth, folder.face_width_px) if error is None else error
    flawed = np.zeros(folder.zones.shape, np.uint8)
    for flaw in folder.flaws:
        if "label" in flaw:  # a whole zone of the plate
            flawed[folder.zones == flaw["label"]] = 1
        else:
            cv2.fillPoly(flawed, [_polygon(flaw)], 1)
    near = cv2.dilate(flawed, np.ones((2 * int(0.02 * folder.face_width_px) + 5,) * 2, np.uint8)) > 0
    skin = (folder.zones == SKIN) & ~near
    removed, by_kind = _removed(folder, error)
    keepers = [f for f in folder.flaws if f.get("keeper")]
    intact = [float(inside(error, f).mean()) <= KEEPER_DE for f in keepers]
    if keepers:  # against the photo: the truth does not have them
        intact = [changed_de(folder, result, f) <= KEEPER_DE for f in keepers]
    clean = float((error[skin] <= CLEAN_DE).mean()) if skin.any() else 1.0
    spared = clean if not intact else 0.5 * clean + 0.5 * float(np.mean(intact))
    whole_skin = ((folder.zones == SKIN) & (flawed == 0)).astype(np.float32)
    texture = _like(texture_energy(result, whole_skin, folder.face_width_px),
                    texture_energy(folder.truth, whole_skin, folder.face_width_px))
    on_skin = (folder.zones == SKIN).astype(np.float32)
    modelling = _like(*(modelling_spread(lab[..., 0], on_skin, folder.face_width_px) for lab in (result, folder.truth)))
    identity = _identity(result, folder)
    parts = {"removed": removed, "spared": spared, "texture": texture, "modelling": modelling, "identity": identity}
    points = {k: round(w * parts[k], 1) for k, w in _WEIGHTS.items()}
    return Score(sum(w * parts[k] for k, w in _WEIGHTS.items()), **parts, by_kind=by_kind, points=points)


def score_file(folder: str | Path, result: str | Path) -> Score:
    """Score of a picture file against a practice folder. Raises RequestError or PictureError."""
    read = read_folder(folder)
    return score_picture(read, _lab_of(Path(result))[0])


def changed_de(folder: PracticeFolder, result: Lab, flaw: dict) -> float:
    """Mean change of the tone inside a flaw since the photo, ΔE00; read around it only."""
    reach = int(flaw["size_px"] + 0.06 * folder.face_width_px) + 8
    y0, x0 = max(0, int(flaw["y"]) - reach), max(0, int(flaw["x"]) - reach)
    part = np.s_[y0 : int(flaw["y"]) + reach, x0 : int(flaw["x"]) + reach]
    error = tone_error(result[part], folder.photo[part], folder.face_width_px)
    moved = flaw | {"outline": [[x - x0, y - y0] for x, y in flaw["outline"]], "x": flaw["x"] - x0, "y": flaw["y"] - y0}
    return float(inside(error, moved).mean())


def _polygon(flaw: dict) -> np.ndarray:
    return np.round(np.array(flaw["outline"], float) - 0.5).astype(np.int32).reshape(-1, 1, 2)


def inside(values: np.ndarray, flaw: dict) -> np.ndarray:
    """Values inside a flaw's outline; the nearest one if the outline holds no pixel."""
    polygon = _polygon(flaw)
    x, y, w, h = cv2.boundingRect(polygon)
    x0, y0 = max(0, x), max(0, y)
    part = values[y0 : y + h, x0 : x + w]
    if part.size == 0:
        row, column = min(max(int(flaw["y"]), 0), values.shape[0] - 1), min(max(int(flaw["x"]), 0), values.shape[1] - 1)
        return values[row : row + 1, column]
    mask = np.zeros(part.shape[:2], np.uint8)
    cv2.fillPoly(mask, [polygon - [x0, y0]], 1)
    return part[mask > 0] if mask.any() else part.ravel()


def _removed(folder: PracticeFolder, error: np.ndarray) -> tuple[float, dict]:
    """Share of flaws within 2 ΔE of truth, weighted by visibility; and plain shares by kind."""
    gone, weight, by_kind = [], [], {}
    for flaw in folder.flaws:
        if flaw.get("keeper") or not flaw.get("worth", True):
            continue
        own = error[folder.zones == flaw["label"]] if "label" in flaw else inside(error, flaw)
        ok = float(own.mean()) <= REMOVED_DE
        gone.append(ok)
        weight.append(flaw["contrast_de"] * np.sqrt(flaw["size_px"]))
        by_kind.setdefault(flaw["kind"], []).append(ok)
    share = float(np.average(gone, weights=weight)) if gone else 1.0
    return share, {kind: round(float(np.mean(v)), 3) for kind, v in sorted(by_kind.items())}


def _like(a: float, b: float) -> float:
    return float(min(a, b) / max(a, b)) if max(a, b) > 0 else 1.0


def _identity(result: Lab, folder: PracticeFolder) -> float:
    """1 less the largest move of the person as a share of 2 % of the face.

    To the truth or to the photo, whichever is less: a spot mended, or left, is no move, though it seems a small one.
    """
    moved = min(moved_px(lab[..., 0], result[..., 0], folder.zones > 0) for lab in (folder.truth, folder.photo))
    return float(np.clip(1 - moved / folder.face_width_px / _MOST_MOVED, 0, 1))
