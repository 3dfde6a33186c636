"""Rules of what is no flaw: each against a made case, and a case beside it that it has nothing to say of."""

import functools
import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.find import boosted_trees, no_flaw
from lather.core.find.no_flaw import RULES, Around, marks_to_ask_of, reason, rule_named, sifted, spots_to_ask_of
from lather.core.find.scene import FindScene
from lather.core.job.commands import ListFind, SetFinds
from lather.core.job.document import job_from_json, job_to_json
from lather.core.job.drawn_marks import outlined
from lather.core.job.face_mesh import LIDS, MOUTH_CORNERS, NOSE_TIP, NOSTRILS
from lather.core.job.finds import Find
from lather.core.kinds.registry import KINDS
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import HAIR
from tests.core.test_find_natural import with_beard
from tests.support.pictures import session_of


@functools.cache
def scene(sitter: str = "wren", shrink: int = 2) -> FindScene:
    pixels = make_plate(sitter, 1, flaws={}).photo
    small = cv2.resize(pixels, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
    return FindScene(PhotoMeasures(session_of(small).photo))


def spot(kind: str, place, size: float = 8.0, confidence: float = 0.95) -> Find:
    return Find(f"{kind}-1", kind, float(place[0]), float(place[1]), size, 9.0, confidence)


def line(kind: str, path, width: float = 3.0) -> Find:
    path = tuple((float(x), float(y)) for x, y in path)
    x, y = path[len(path) // 2]
    return Find(f"{kind}-1", kind, x, y, 60.0, 9.0, 0.95, path=path, width_px=width)


def straight(start, way, length: float = 60.0) -> list:
    return [(start[0] + t * way[0], start[1] + t * way[1]) for t in np.linspace(0, length, 20)]


def top_of_hair(of: FindScene) -> np.ndarray:
    """A place a little inside the hair, at its highest."""
    hair = of.measures.people.small("scalp hair")
    ys, xs = np.nonzero(cv2.erode((hair > 0.8).astype(np.uint8), np.ones((9, 9))))
    return np.array([xs[ys.argmin()] + 0.5, ys.min() + 0.5]) * of.measures.scale


class RulesTest(unittest.TestCase):
    def setUp(self):
        self.scene = scene()
        self.face = self.scene.measures.face
        self.mesh, self.width = self.face.mesh_px, self.face.width_px
        self.cheek = self.mesh[50] * 0.5 + self.mesh[205] * 0.5

    def says(self, *finds: Find, among: tuple[Find, ...] = (), of: FindScene | None = None) -> list[str]:
        around = Around(of or self.scene, among or finds)
        told = []
        for last in (False, True):
            kept, alone = sifted(finds, around, last=last)
            told += [find.left_alone for find in alone]
            finds = tuple(kept)
        return told + ["" for _ in finds]

    def test_a_line_on_a_contour_is_none(self):
        jaw = next(one for one in self.scene.contours.all if one.what == "jaw")
        part = jaw.points[len(jaw.points) // 3 : len(jaw.points) // 2]
        for kind in ("crease", "hair_on_skin", "jewellery_mark", "strap_mark"):
            self.assertEqual(self.says(line(kind, part)), ["contour"], kind)
        across = straight(self.cheek, (1, 0.2), 0.2 * self.width)
        self.assertEqual(self.says(line("crease", across)), [""])

    def test_a_spot_on_a_contour_is_none_and_one_beside_it_is(self):
        lips = next(one for one in self.scene.contours.all if one.what == "lips")
        self.assertEqual(self.says(spot("blemish_red", lips.points[len(lips.points) // 4])), ["contour"])
        self.assertEqual(self.says(spot("blemish_red", self.cheek)), [""])
        self.assertEqual(self.says(spot("mole", lips.points[len(lips.points) // 4])), [""])

    def test_nothing_is_found_at_features(self):
        nostril = self.mesh[list(NOSTRILS["left"])].mean(0)
        for place in (nostril, self.mesh[MOUTH_CORNERS["left"]] + (0.03 * self.width, -0.02 * self.width)):
            self.assertIn(self.says(spot("blemish_dark", place))[0], ("feature", "contour"))

    def test_nothing_is_found_inside_an_ear(self):
        out = self.mesh[454] + 0.06 * self.width * np.array([1.0, 0.0])
        self.assertEqual(no_flaw._in_the_ear(spot("redness", out), Around(self.scene)), True)
        self.assertEqual(no_flaw._in_the_ear(spot("redness", self.cheek), Around(self.scene)), False)

    def test_a_spot_beyond_doubt_is_asked_of_wherever_it_lies_on_a_face_large_enough(self):
        alone = [replace(spot("blemish_red", self.cheek), left_alone="ear", confidence=said) for said in (0.95, 0.8)]
        alone.append(replace(spot("redness", self.cheek), left_alone="ear", confidence=0.95))
        large, small = Around(scene("tilda")), Around(self.scene)
        asked = spots_to_ask_of(alone, large)
        self.assertEqual([(f.kind, f.left_alone, f.confidence) for f in asked], [("blemish_red", "", 0.6)])
        self.assertEqual(spots_to_ask_of(alone, small), [])
        self.assertEqual((large.scene.weights, small.scene.weights), (boosted_trees.FOLDER, boosted_trees.SMALL))

    def test_a_stray_hair_grows_out_of_hair(self):
        self.assertEqual(self.says(line("stray_hair", [(10 + 9 * np.sin(t / 20), 90 - t) for t in range(60)])),
                         ["no_root"])
        top = top_of_hair(self.scene)
        bent = [(top[0] + 12 * np.sin(t / 12), top[1] - t) for t in np.linspace(60, 0, 20)]
        self.assertEqual(self.says(line("stray_hair", bent)), [""])

    def test_straight_lines_side_by_side_belong_to_the_ground(self):
        top = top_of_hair(self.scene)
        blinds = [line("stray_hair", straight((top[0] - 70, top[1] + 9 * n), (1, 0))) for n in range(-3, 4)]
        blinds = [replace(one, id=f"stray_hair-{n}") for n, one in enumerate(blinds)]
        self.assertIn("ground", self.says(*blinds))
        self.assertEqual(no_flaw._of_the_ground(blinds[0], Around(self.scene, blinds[:2])), False)

    def test_what_lies_in_hair_is_no_spot(self):
        self.assertEqual(self.says(spot("blemish_dark", top_of_hair(self.scene))), ["hair"])

    def test_specks_lie_on_cloth_and_nothing_of_the_person_near(self):
        people = self.scene.measures.people
        cloth = cv2.erode((people.small("cloth") > 0.9).astype(np.uint8), np.ones((25, 25)))
        ys, xs = np.nonzero(cloth)
        at = np.array([xs[len(xs) // 2], ys[len(ys) // 2]]) * people.scale
        self.assertEqual(self.says(spot("cloth_speck", at)), [""])
        self.assertEqual(self.says(spot("cloth_speck", self.cheek)), ["on_skin"])
        self.assertEqual(self.says(spot("lens_mark", self.cheek)), ["on_skin"])
        self.assertEqual(self.says(spot("cloth_speck", (20, 20))), ["no_cloth"])
        above = top_of_hair(self.scene) - (0, 8 * people.scale)
        self.assertEqual(self.says(spot("lens_mark", above)), ["hair_tip"])

    def test_a_dark_spot_on_skin_off_the_face_is_asked_of_as_a_mark(self):
        small = scene("wren", 8)
        chin = small.measures.face.points["chin"]
        chest = (chin[0], chin[1] + 0.7 * small.measures.face.width_px)
        dark = spot("blemish_dark", chest, 4)
        around = Around(small, [dark])
        self.assertEqual([f.left_alone for f in sifted([dark], around, last=False)[1]], ["mark"])
        asked = marks_to_ask_of(sifted([dark], around, last=False)[1], around)
        self.assertEqual([(f.kind, f.keeper, f.left_alone, f.sure) for f in asked], [("mole", True, "", False)])
        speck = replace(spot("cloth_speck", self.cheek), left_alone="on_skin")
        self.assertEqual(marks_to_ask_of([speck], Around(self.scene)), [], "skin that is as it was is no mark")

    def test_blotches_leave_the_hairline_and_lids(self):
        self.assertEqual(self.says(spot("blotch_dark", top_of_hair(self.scene), 20)), ["hairline"])
        lid = self.mesh[list(LIDS["left"])].mean(0)
        self.assertEqual(self.says(spot("blotch_bright", lid, 10)), ["makeup"])
        self.assertEqual(self.says(spot("blotch_dark", self.cheek, 10)), [""])

    def test_red_by_nature(self):
        self.assertEqual(self.says(spot("redness", self.mesh[NOSE_TIP], 20)), ["red_by_nature"])
        self.assertEqual(self.says(spot("redness", self.cheek, 20)), [""])

    def test_too_small_to_tell(self):
        small = scene("wren", 12)
        cheek = self.cheek / 6
        self.assertEqual(self.says(spot("smeared_lip", cheek, 3), of=small), ["too_small"])
        self.assertEqual(self.says(spot("smeared_lip", self.cheek, 6)), [""])

    def test_drawn_marks_hide_what_lies_on_them(self):
        ring = [tuple(self.cheek + 20 * np.array([np.cos(t), np.sin(t)])) for t in np.linspace(0, 6, 14)]
        mark, on_it = outlined(ring), spot("blemish_dark", self.cheek)
        self.assertEqual(self.says(on_it, among=(mark, on_it)), ["ink"])

    def test_a_beard_hides_creases(self):
        bearded = FindScene(PhotoMeasures(session_of(with_beard("wren")).photo))
        ys, xs = np.nonzero(cv2.erode(Around(bearded).beard, np.ones((15, 15))))
        middle = len(ys) // 2
        place = bearded.to_source(float(xs[middle]), float(ys[middle]))
        self.assertEqual(no_flaw._in_a_beard(line("crease", straight(place, (1, 0), 8)), Around(bearded)), True)
        forehead = bearded.measures.face.mesh_px[151]
        self.assertEqual(no_flaw._in_a_beard(line("crease", straight(forehead, (1, 0), 8)), Around(bearded)), False)

    def test_each_rule_has_a_name_that_can_be_said(self):
        self.assertEqual(len({rule.id for rule in RULES}), len(RULES))
        for rule in RULES:
            self.assertTrue(rule.label)
            self.assertLessEqual(set(rule.kinds), set(KINDS))
            self.assertIs(rule_named(rule.id), rule)
        self.assertEqual(reason(replace(spot("mole", (1, 1)), left_alone="of a later version")), "of a later version")

    def test_hair_lies_where_the_sitter_has_it(self):
        zones = make_plate("wren", 1, flaws={}).zones
        share = self.scene.measures.people.small("scalp hair")
        own = cv2.resize((zones == HAIR).astype(np.float32), share.shape[::-1], interpolation=cv2.INTER_AREA) > 0.5
        self.assertGreater(share[own].mean(), 0.6)


class LeftAloneTest(unittest.TestCase):
    def setUp(self):
        self.session = session_of(np.full((60, 60, 3), 20000, np.uint16))
        self.alone = replace(spot("crease", (10, 10)), left_alone="contour")
        self.session.history.do(SetFinds((spot("mole", (30, 30)),), None, (), (self.alone,)))

    def test_it_is_kept_in_the_job_with_its_rule(self):
        again = job_from_json(job_to_json(self.session.job), {})
        self.assertEqual(again.left_alone, (self.alone,))
        self.assertEqual(again.finds, self.session.job.finds)
        self.assertEqual([find.id for find in again.finds], ["mole-1"])

    def test_somebody_who_wants_it_lists_it(self):
        self.session.history.do(ListFind(self.alone))
        self.assertEqual(self.session.job.left_alone, ())
        listed = self.session.job.finds[-1]
        self.assertEqual((listed.id, listed.left_alone), ("crease-1", ""))
        self.session.history.undo()
        self.assertEqual(self.session.job.left_alone, (self.alone,))


if __name__ == "__main__":
    unittest.main()
