"""Every kind of find on plates that hold all of them: named, measured, placed; and none where there is none."""

import functools
import unittest
from collections import Counter

import numpy as np

from lather.core.find.eyes.hollows_and_veins import find_eye_veins, find_hollows
from lather.core.find.finder import find_all
from lather.core.find.lines.brow_hairs import find_brow_hairs
from lather.core.find.scene import FindScene
from lather.core.job.face_map import FaceMap
from lather.core.kinds.registry import KINDS
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.make import make_plate
from tests.support.pictures import session_of
from tests.support.sets import for_release

FLAWS = {
    "crease": 3, "scar": 2, "vein_nose": 2, "makeup_fold": 2, "jewellery_mark": 2, "hair_on_skin": 3, "under_eye": 2,
    "cloth_speck": 4, "lens_mark": 3, "vein_eye": 2, "intruder": 1, "redness": 2, "shine": 2,
}
PLATES = (("pip", 21), ("ambrose", 22), ("wren", 21))
LINES = ("crease", "scar", "vein_nose", "makeup_fold", "jewellery_mark", "hair_on_skin")


@functools.cache
def looked_at(sitter: str, seed: int):
    made = make_plate(sitter, seed, flaws=FLAWS, edge_margin_px=14)
    return made, *find_all(session_of(made.photo).photo)


def points_of(thing) -> np.ndarray:
    return np.array(thing.path if thing.path is not None else [(thing.x, thing.y)])


def away(a, b) -> np.ndarray:
    """Distance of each point of `a` from the nearest of `b`."""
    return np.hypot(*(points_of(a)[:, None] - points_of(b)).transpose(2, 0, 1)).min(1)


def found_for(flaw, finds) -> list:
    """Finds of its kind that lie on a flaw."""
    reach = max(6.0, flaw.width_px or 0.5 * flaw.size_px)
    return [f for f in finds if f.kind == flaw.kind and away(f, flaw).min() < reach]


class KindsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.plates = [looked_at(*plate) for plate in PLATES]

    def counts(self):
        found, made = Counter(), Counter()
        for plate, finds, _ in self.plates:
            for flaw in plate.flaws:
                made[flaw.kind] += 1
                found[flaw.kind] += bool(found_for(flaw, finds))
        return found, made

    def test_most_of_each_kind_are_found_and_named(self):
        found, made = self.counts()
        self.assertEqual(set(made), set(FLAWS))
        for kind in ("lens_mark", "intruder", "crease", "hair_on_skin"):
            self.assertGreaterEqual(found[kind] / made[kind], 0.85, kind)
        for kind in ("scar", "vein_nose", "jewellery_mark", "vein_eye"):
            self.assertGreaterEqual(found[kind] / made[kind], 0.65, kind)
        for kind in ("makeup_fold", "cloth_speck", "under_eye"):  # the weakest
            self.assertGreaterEqual(found[kind] / made[kind], 0.4, kind)

    def test_lines_have_the_width_that_a_person_would_see_and_lie_on_the_flaw(self):
        ratios, off = [], []
        for plate, finds, _ in self.plates:
            for flaw in (f for f in plate.flaws if f.kind in LINES):
                for find in found_for(flaw, finds)[:1]:
                    ratios.append(find.width_px / flaw.width_px)
                    off.append(np.median(away(find, flaw)) / flaw.width_px)
        self.assertGreater(len(ratios), 25)
        self.assertTrue(0.8 < np.median(ratios) < 1.2, np.median(ratios))
        self.assertGreater(np.mean([0.6 < r < 1.6 for r in ratios]), 0.85)
        self.assertLess(np.percentile(off, 85), 0.7)

    def test_every_find_is_whole_and_in_the_picture(self):
        for plate, finds, _ in self.plates:
            height, width = plate.photo.shape[:2]
            self.assertEqual(len({f.id for f in finds}), len(finds))
            for find in finds:
                self.assertIn(find.kind, KINDS)
                self.assertTrue(0 <= find.x < width and 0 <= find.y < height, find)
                self.assertTrue(0 < find.confidence <= 1 and find.size_px > 0 and find.contrast_de > 0, find)
                self.assertGreaterEqual(len(find.outline or ()), 3, find)
                self.assertTrue(find.zone, find)
                if find.path is not None:
                    self.assertGreater(find.width_px, 0)
                    low, high = points_of(find).min(0), points_of(find).max(0)
                    self.assertTrue((low >= -2).all() and (high <= (width + 2, height + 2)).all(), find)

    def test_each_kind_lies_where_it_belongs(self):
        for plate, finds, measures in self.plates:
            for find in finds:
                zone = plate.zones[int(find.y), int(find.x)]
                if find.kind in ("cloth_speck", "lens_mark"):
                    self.assertEqual(find.zone, "ground")
                    self.assertNotEqual(zone, 1, find)
                elif find.kind == "vein_eye":
                    self.assertTrue(find.zone.startswith("eye, "), find.zone)
                    side = find.zone.removeprefix("eye, ")
                    eye = measures.face.points[f"eye_{side}"]
                    self.assertLess(np.hypot(find.x - eye[0], find.y - eye[1]), 0.4 * measures.face.eye_distance_px)
                elif find.kind == "under_eye":
                    self.assertTrue(find.zone.startswith("under-eye"), find.zone)
                elif find.kind == "intruder":
                    low, high = np.min(find.outline, 0), np.max(find.outline, 0)
                    border = min(*low, plate.photo.shape[1] - high[0], plate.photo.shape[0] - high[1])
                    self.assertLess(border, 0.01 * plate.photo.shape[1])

    def test_those_that_will_show_come_first_each_by_how_much_it_is_seen(self):
        for _, finds, _ in self.plates:
            order = [(not f.worth, -f.visibility) for f in finds]
            self.assertEqual(order, sorted(order))
            self.assertGreater(len({f.visibility for f in finds}), 0.8 * len(finds))

    def test_only_the_kinds_asked_for_and_the_same_ones(self):
        plate, finds, measures = self.plates[1]
        few, _ = find_all(session_of(plate.photo).photo, kinds=("scar", "lens_mark"), measures=measures)
        self.assertEqual({f.kind for f in few}, {"scar", "lens_mark"})
        self.assertEqual({f.id for f in few}, {f.id for f in finds if f.kind in ("scar", "lens_mark")})


class HollowTest(unittest.TestCase):
    def test_a_hollow_is_told_from_a_face_s_own_shading_by_the_eye_it_is_under(self):
        made = make_plate("wren", 31, flaws={"under_eye": 1})  # where shade of the nose lies, stronger than it
        measures = PhotoMeasures(session_of(made.photo).photo)
        finds = find_hollows(FindScene(measures))
        left, right = (measures.face.points[f"eye_{side}"][0] for side in ("left", "right"))
        side = "left" if made.flaws[0].x < (left + right) / 2 else "right"
        self.assertEqual([f.zone for f in finds], [f"under-eye, {side}"])


class NoneTest(unittest.TestCase):
    @for_release
    def test_a_clean_plate_has_no_veins_hollows_intruders_nor_marks(self):
        made = make_plate("wren", 21, flaws={})
        finds, _ = find_all(session_of(made.photo).photo)
        for kind in ("vein_eye", "under_eye", "intruder", "strap_mark", "jewellery_mark", "lens_mark", "shine"):
            self.assertEqual([f for f in finds if f.kind == kind], [], kind)

    def test_without_a_face_there_are_no_finds_that_belong_to_one(self):
        made = make_plate("pip", 21, flaws={"under_eye": 2, "vein_eye": 2})
        below = made.photo[int(made.sitter.landmarks["chin"][1]) :]
        scene = FindScene(PhotoMeasures(session_of(np.ascontiguousarray(below)).photo))
        self.assertIsNone(scene.measures.face)
        for finder in (find_hollows, find_eye_veins, find_brow_hairs):
            self.assertEqual(finder(scene), [])

    def test_a_face_map_that_the_person_corrected_moves_what_is_looked_for(self):
        made, finds, measures = looked_at("pip", 21)
        self.assertTrue([f for f in finds if f.kind == "under_eye"])
        moved = {name: (x, y - 0.8 * measures.face.eye_distance_px) for name, (x, y) in measures.face.points.items()}
        scene = FindScene(PhotoMeasures(session_of(made.photo).photo, FaceMap(moved)))
        wrong = [*find_hollows(scene), *find_eye_veins(scene)]
        right = {(round(f.x), round(f.y)) for f in finds}
        self.assertFalse([f for f in wrong if (round(f.x), round(f.y)) in right])


if __name__ == "__main__":
    unittest.main()
