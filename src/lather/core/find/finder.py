"""All finders together: what is on this photo, where, how big, how strong, and whether it will show."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.errors import Cancelled, RequestError
from lather.core.find.areas import blotches, drawn_marks, redness_and_shine
from lather.core.find.confidence import calibrated
from lather.core.find.eyes import hollows_and_veins, red_eye
from lather.core.find.ground import specks
from lather.core.find.lines import brow_hairs, skin_lines, stray_hairs
from lather.core.find.no_flaw import Around, marks_to_ask_of, sifted, spots_to_ask_of
from lather.core.find.scene import FindScene
from lather.core.find.spots import spots
from lather.core.find.visibility import Delivery, judged
from lather.core.job.commands import SetFinds
from lather.core.job.face_map import FaceMap
from lather.core.job.finds import LISTED_FROM, Find
from lather.core.kinds.registry import KINDS, SOFTENED
from lather.core.log import timed
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.phrases import phrase
from lather.core.threads import give_way, one_thread_in_opencv

_LEAST_SIDE_PX = 32
_FIRST = ("brow_hair", "smeared_lip")  # kinds that know more of their place than others do
_CERTAIN = 0.99  # confidence of spots that no line hides
_SPOTS = ("blemish_dark", "blemish_red", "blemish_bright", "flake", "mole", "freckle")
_BLOTCHES = ("blotch_dark", "blotch_bright", "colour_left")
_BROAD, _MOST_OF_IT = ("scar", "makeup_fold", "jewellery_mark"), 0.7  # lines whose rims are seen; share on another
_OWN_LENGTH = 5.0  # sizes of a spot up to which a line may be drawn by it
# A flaw as a person would outline it, over the size at about half height that is measured: medians on made plates of
# five sitters, seeds 702-705.
_OUTLINED = {
    "blemish_dark": 1.16, "blemish_red": 1.07, "blemish_bright": 1.2, "mole": 1.11, "flake": 1.8, "cloth_speck": 1.37,
    "crease": 1.2, "hair_on_skin": 1.2, "jewellery_mark": 1.8, "scar": 1.27, "vein_nose": 0.81, "makeup_fold": 5.0,
}
# The longest first, so that no core is idle at the end.
FINDERS: tuple[tuple[str, Callable[[FindScene], list[Find]]], ...] = (
    ("spots", spots.find_spots),
    ("stray hairs", stray_hairs.find_strands),
    ("specks and lens marks", specks.find_on_ground),
    ("lines on skin", skin_lines.find_lines),
    ("blotches", blotches.find_blotches),
    ("redness and shine", redness_and_shine.find_areas),
    ("what came in from the edge", redness_and_shine.find_intruders),
    ("drawn marks", drawn_marks.find_drawn_marks),
    ("red eyes", red_eye.find_red_eyes),
    ("veins in the eyes", hollows_and_veins.find_eye_veins),
    ("stray hairs of the brows", brow_hairs.find_brow_hairs),
    ("hollows under the eyes", hollows_and_veins.find_hollows),
)


@dataclass(frozen=True)
class Found:
    """finds: those that will show first, each by how much it is seen. left_alone: what a rule of `no_flaw` speaks
    against, each with the name of its rule. measures: what was measured of the photo for it.
    """

    finds: tuple[Find, ...]
    left_alone: tuple[Find, ...]
    measures: PhotoMeasures

    @property
    def command(self) -> SetFinds:
        """That puts them into a job."""
        return SetFinds(self.finds, self.measures.face, self.measures.faces[1:], self.left_alone)


def find_all(photo: Photo, **wanted) -> tuple[tuple[Find, ...], PhotoMeasures]:
    """`look_at` for those who ask for nothing but the list: (finds, measures)."""
    found = look_at(photo, **wanted)
    return found.finds, found.measures


@timed("finds", lambda found: len(found.finds))
def look_at(
    photo: Photo,
    *,
    face: FaceMap | None = None,
    delivery: Delivery | None = None,
    kinds=None,
    progress: Callable[[float, str], bool] | None = None,
    measures: PhotoMeasures | None = None,
    hairs_from: float = stray_hairs.USUAL_CONFIDENCE,
) -> Found:
    """Everything that is on a photo.

    face: the face map if the person corrected it. kinds: only these. progress(share, what) returning False cancels.
    hairs_from: least confidence of stray hairs; below the usual one they are mostly the rim of the hairdo.
    Raises Cancelled, or RequestError for an unknown kind.
    """
    for kind in kinds or ():
        if kind not in KINDS:
            raise RequestError(phrase("There is no kind of find “%1”; choose from %2.", kind, ", ".join(KINDS)))
    measures = measures or PhotoMeasures(photo, face)
    if min(photo.width, photo.height) < _LEAST_SIDE_PX:
        return Found((), (), measures)
    scene = FindScene(measures)
    found = _all_finders(scene, progress)
    found = [f for f in found if not kinds or f.kind in kinds or f.kind == "drawn_mark"]
    around = Around(scene, found)
    found, alone = sifted(found, around, last=False)
    asked = [_as_outlined(find) for find in (*marks_to_ask_of(alone, around), *spots_to_ask_of(alone, around))]
    found = without_rims([_as_outlined(f) for f in one_for_one_place(_less_spots_twice(found))])
    found, hidden = sifted(found, around, last=True)
    listed, alone = ([calibrated(f, small=scene.is_small) for f in part if not kinds or f.kind in kinds]
                     for part in (found, alone + hidden))
    listed += [f for f in asked if (not kinds or f.kind in kinds) and not any(_same_place(f, one) for one in listed)]
    alone = [f for f in alone if all(f.id != one.id for one in asked)]
    listed = [f for f in listed if f.confidence >= (hairs_from if f.kind == "stray_hair" else LISTED_FROM)]
    alone = [f for f in alone if f.confidence >= LISTED_FROM]
    seen, side = delivery or Delivery(), max(photo.width, photo.height)
    return Found(judged(listed, seen, side), judged(alone, seen, side), measures)


def _all_finders(scene: FindScene, progress: Callable[[float, str], bool] | None) -> list[Find]:
    """What each finder says, one after the other; two work at a time."""
    found: list[Find] = []
    _tell(progress, 0.0, "the face and its skin")
    _ = scene.measures.face
    with one_thread_in_opencv(), ThreadPoolExecutor(2, initializer=give_way) as pool:
        pool.submit(lambda: scene.lightness_ridges)  # needs no skin, and stray hairs need it
        _ = scene.bare, scene.lab  # measured once, before the finders share them
        _tell(progress, 0.3, "spots and hairs")
        running = [(label, pool.submit(finder, scene)) for label, finder in FINDERS]
        for number, (label, task) in enumerate(running):
            found += task.result()
            if progress and not progress(0.3 + 0.7 * (number + 1) / len(running), label):
                pool.shutdown(wait=False, cancel_futures=True)
                raise Cancelled("Finding was stopped; nothing was changed.")
    return found


def _tell(progress: Callable[[float, str], bool] | None, share: float, label: str) -> None:
    if progress and not progress(share, label):
        raise Cancelled("Finding was stopped; nothing was changed.")


def one_for_one_place(finds: list[Find]) -> list[Find]:
    """One find for one place: of two whose middles lie in each other, the more certain; lines before spots on them.

    A hair beside a brow is a stray hair of the brow, whatever else it was taken for, and one with its gloss and rim;
    a red spot that is lip colour beside the lips is that, but what is to be kept is never taken for it.
    A spot beyond doubt stays where it lies on a line, and a short line in doubt under it is that spot's own.
    """
    certain = [f for f in finds if _is_certain(f)]
    finds = [f for f in finds if not any(_drawn_by(f, spot) for spot in certain)]
    stays = [f for f in finds if f.keeper and f.kind in _SPOTS]
    finds = [f for f in finds if f.kind != "smeared_lip" or not any(_same_place(f, other) for other in stays)]
    kept: list[Find] = []
    for find in sorted(finds, key=lambda f: (f.path is None, f.kind not in _FIRST, -f.confidence)):
        if not any(_same_place(find, other) for other in kept if other.path is None or not _is_certain(find)):
            kept.append(find)
    return kept


def _less_spots_twice(finds: list[Find]) -> list[Find]:
    """Without the blotches that are a spot, or what Mend softens: that is mended, and then its light is even."""
    spots = [f for f in finds if f.kind in _SPOTS]
    softened = [np.float32(f.outline) for f in finds if f.kind in SOFTENED and len(f.outline) > 2]

    def same(blotch: Find, spot: Find) -> bool:
        away = np.hypot(blotch.x - spot.x, blotch.y - spot.y)
        return away < 0.5 * max(blotch.size_px, spot.size_px) and spot.size_px > 0.4 * blotch.size_px

    def taken(find: Find) -> bool:
        return any(same(find, spot) for spot in spots) or any(
            cv2.pointPolygonTest(outline, (find.x, find.y), False) >= 0 for outline in softened)

    return [f for f in finds if f.kind not in _BLOTCHES or not taken(f)]


def _is_certain(find: Find) -> bool:
    return find.kind in _SPOTS and find.confidence >= _CERTAIN


def _drawn_by(line: Find, spot: Find) -> bool:
    """True of a line that is less certain than a spot on it and a few times as long at most."""
    if line.path is None or line.confidence >= spot.confidence or not _same_place(spot, line):
        return False
    length = float(np.hypot(*np.diff(np.array(line.path), axis=0).T).sum())
    return length < _OWN_LENGTH * spot.size_px


def _as_outlined(find: Find) -> Find:
    times = _OUTLINED.get(find.kind, 1.0)
    if find.path is not None:
        return replace(find, width_px=times * (find.width_px or 1.0))
    return replace(find, size_px=times * find.size_px)


def without_rims(finds: list[Find]) -> list[Find]:
    """Finds with their full widths, less the rims of broad lines: of one kind on each other, the longest stays."""
    kept: list[Find] = []
    for find in sorted(finds, key=lambda f: -f.size_px):
        broad = find.path is not None and find.kind in _BROAD
        if not (broad and any(f.kind == find.kind and _runs_on(find, f) for f in kept)):
            kept.append(find)
    return kept


def _runs_on(a: Find, b: Find) -> bool:
    """True if most of a line lies on the band of another."""
    away = np.hypot(*(np.array(a.path)[:, None] - np.array(b.path)).transpose(2, 0, 1)).min(1)
    return float((away < 0.5 * b.width_px).mean()) > _MOST_OF_IT


def _same_place(a: Find, b: Find) -> bool:
    if b.path is not None and a.path is None:
        near = np.hypot(*(np.array(b.path) - (a.x, a.y)).T).min()
        return near < max(0.7 * (b.width_px or 2), 0.35 * a.size_px) and b.kind != "under_eye"
    if a.path is not None:
        if b.kind != "brow_hair" or a.kind not in ("brow_hair", "hair_on_skin", "crease"):
            return False
        away = np.hypot(*(np.array(a.path)[:, None] - np.array(b.path)).transpose(2, 0, 1)).min(1)
        return float(np.median(away)) < max(4.0, 2 * (b.width_px or 2))
    return np.hypot(a.x - b.x, a.y - b.y) < 0.4 * max(a.size_px, b.size_px)
