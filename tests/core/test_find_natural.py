"""What is natural where it is and no find: hair in a beard, glints in gloss, clouds on a backdrop, a fringe of hair."""

import unittest
from dataclasses import replace

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.find.ground.specks import GroundScene, find_on_ground, stands_out
from lather.core.find.lines.beard import HIDDEN_KINDS, beard_mask, is_hidden
from lather.core.find.lines.stray_hairs import _beside
from lather.core.find.scene import FindScene
from lather.core.find.spots.glints import is_glint
from lather.core.imageio.picture import Picture
from lather.core.job.finds import Find
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter, on_ground
from tests.support.sets import for_release, some


def photo_of(pixels) -> Photo:
    return Photo(Picture(pixels), b"photo", "photo.png")


def with_beard(sitter: str, hairs: int = 9000) -> np.ndarray:
    """A sitter with short dark hairs drawn around mouth and jaw."""
    plate = make_plate(sitter, 1, flaws={})
    marks, rng = plate.sitter.landmarks, np.random.default_rng(5)
    nose, chin = np.array(marks["nose_tip"]), np.array(marks["chin"])
    half = abs(marks["jaw_right"][0] - marks["jaw_left"][0]) / 2
    layer = np.zeros(plate.photo.shape[:2], np.uint8)
    mouth = (np.array(marks["mouth_left"]) + marks["mouth_right"]) / 2
    for _ in range(hairs):
        x = mouth[0] + rng.uniform(-0.8, 0.8) * half
        y = rng.uniform(nose[1] + 0.35 * (mouth[1] - nose[1]), chin[1] + 0.1 * half)
        if plate.zones[min(int(y), len(plate.zones) - 1), int(x)] != 1:
            continue
        length, turn = rng.uniform(8, 20), rng.normal(np.pi / 2, 0.6)
        end = (x + length * np.cos(turn), y + length * np.sin(turn))
        ends = [tuple(round(16 * n) for n in place) for place in ((x, y), end)]
        cv2.line(layer, *ends, 255, 1, cv2.LINE_AA, 4)
    share = (layer / 255.0 * 0.8)[..., None]
    return np.round(plate.photo * (1 - share) + np.array([2600, 1900, 1600]) * share).astype(np.uint16)


class BeardTest(unittest.TestCase):
    def test_a_beard_is_told_where_it_is_and_hides_what_is_looked_for_there(self):
        scene = FindScene(PhotoMeasures(photo_of(with_beard("ambrose"))))
        beard, marks = beard_mask(scene), load_sitter("ambrose").landmarks
        self.assertIsNotNone(beard)
        chin, cheek = marks["chin"], (np.array(marks["nose_tip"]) + marks["jaw_left"]) / 2
        for (x, y), hidden in (((chin[0], chin[1] - 40), True), ((cheek[0], marks["nose_tip"][1] - 80), False)):
            fold = Find("f", HIDDEN_KINDS[0], float(x), float(y), 30.0, 5.0, 0.0)
            self.assertEqual(is_hidden(fold, beard, scene), hidden, (x, y))

    @for_release
    def test_a_beard_is_told_and_hides_folds_smears_and_hairs(self):
        for sitter in ("ambrose", "wren"):
            photo = photo_of(with_beard(sitter))
            measures = PhotoMeasures(photo)
            scene = FindScene(measures)
            beard = beard_mask(scene)
            self.assertIsNotNone(beard, sitter)
            finds, _ = find_all(photo, measures=measures)
            inside = [f for f in finds if is_hidden(replace(f, confidence=0.0), beard, scene)]
            self.assertEqual([f.kind for f in inside if f.kind in HIDDEN_KINDS], [], sitter)
            self.assertLessEqual(len(inside), 2, sitter)

    def test_bare_skin_and_stubble_have_none(self):
        for sitter in some(("wren", "ambrose", "tilda", "pip", "marlow"), 2):
            photo = photo_of(make_plate(sitter, 1, flaws={}).photo)
            self.assertIsNone(beard_mask(FindScene(PhotoMeasures(photo))), sitter)


class GlintTest(unittest.TestCase):
    def test_a_bright_place_in_gloss_is_a_glint_and_on_skin_it_is_none(self):
        plate = make_plate("tilda", 1, flaws={})
        x, y = (int(n) for n in plate.sitter.landmarks["nose_tip"])
        pixels = plate.photo.copy()
        cv2.circle(pixels, (x, y), 30, (64_000, 64_000, 64_000), -1)
        scene = FindScene(PhotoMeasures(photo_of(pixels)))
        find = Find("f", "flake", float(x), float(y), 9.0, 8.0, 0.8)
        self.assertTrue(is_glint(find, scene))
        self.assertFalse(is_glint(replace(find, kind="blemish_dark"), scene))
        self.assertFalse(is_glint(replace(find, y=float(y + 150)), scene))


class BackdropTest(unittest.TestCase):
    def test_a_speck_must_stand_out_of_its_own_neighbourhood(self):
        rng = np.random.default_rng(2)
        rough = cv2.resize(rng.standard_normal((60, 60)).astype(np.float32), (600, 600), interpolation=cv2.INTER_CUBIC)
        cloudy = 0.4 * (1 + 0.06 * rough)
        ys, xs = np.mgrid[:600, :600]
        for field, wanted in ((cloudy, False), (np.full((600, 600), 0.4, np.float32), True)):
            spotted = field - 0.05 * np.exp(-(np.hypot(xs - 300, ys - 300) / 6) ** 2)
            codes = np.repeat(np.round(65535 * np.clip(spotted, 0, 1)).astype(np.uint16)[..., None], 3, -1)
            codes += rng.integers(0, 300, codes.shape).astype(np.uint16)
            scene = GroundScene(PhotoMeasures(photo_of(codes)))
            find = Find("s", "lens_mark", 300.0, 300.0, 14.0, 4.0, 0.6)
            self.assertEqual(stands_out(scene, find) > 7.3, wanted)

    def test_specks_and_lens_marks_before_clouds_are_still_found(self):
        sitter = on_ground(load_sitter("wren"), "cloudy")
        plate = make_plate(sitter, 3, flaws={"lens_mark": 5})
        finds = find_on_ground(FindScene(PhotoMeasures(photo_of(plate.photo))))
        hit = [any(np.hypot(f.x - flaw.x, f.y - flaw.y) < 0.6 * flaw.size_px for f in finds) for flaw in plate.flaws]
        self.assertGreaterEqual(sum(hit), 4)
        self.assertLessEqual(len(finds), 6)


class FringeTest(unittest.TestCase):
    def test_hairs_of_a_fringe_stand_beside_each_other_and_a_long_one_does_not(self):
        def hair(x: float, length: float) -> np.ndarray:
            return np.array([(x, -length + t * length) for t in np.linspace(0, 1, 20)])

        paths = [*(hair(10.0 * n, 100.0) for n in range(8)), hair(2000.0, 100.0), hair(35.0, 400.0)]
        beside = _beside(paths, 5.0)
        self.assertEqual(beside[-2], 0)
        self.assertEqual(beside[-1], 0)  # it stands out of its fringe
        self.assertGreater(min(beside[:8]), 4)
