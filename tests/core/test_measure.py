"""Measuring a photo: face map, skin, grain, texture scale; what is left of softened finds; keepers."""

import functools
import unittest

import cv2
import numpy as np

from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.face_map import FaceMap
from lather.core.job.finds import Find
from lather.core.measure.grain import measure_grain
from lather.core.measure.keepers import intact_keepers
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.residual import find_contrast, residual_share
from lather.core.measure.texture_scale import split_width
from lather.core.practice.grain import Grain, grain_field
from lather.core.practice.sitters import CLOTHING, SKIN, load_sitter
from lather.core.types import Rect, as_float32


@functools.cache
def measures(name: str) -> PhotoMeasures:
    return PhotoMeasures(Photo(load_sitter(name).picture, b"", name))


class FaceTest(unittest.TestCase):
    def test_a_head_turned_aside_has_its_jaw_and_chin_there(self):
        sitter, face = load_sitter("ambrose"), measures("ambrose").face
        d = np.hypot(*np.subtract(sitter.landmarks["eye_right"], sitter.landmarks["eye_left"]))
        for point in ("jaw_left", "jaw_right", "chin"):
            off = np.hypot(*np.subtract(face.points[point], sitter.landmarks[point]))
            self.assertLess(off / d, 0.25, point)

    def test_without_a_face_everything_still_works(self):
        ground = np.random.default_rng(1).integers(90, 110, (300, 400, 3)).astype(np.uint8)
        found = PhotoMeasures(Photo(Picture(ground), b"", "wall"))
        self.assertIsNone(found.face)
        self.assertGreater(found.face_width_px, 50)
        self.assertIsNone(found.to_json()["face"])

    def test_zones_follow_the_points(self):
        face = FaceMap({"eye_left": (400, 400), "eye_right": (600, 400), "nose_tip": (500, 520),
                        "mouth_left": (430, 610), "mouth_right": (570, 610), "chin": (500, 740), "jaw_left": (350, 660),
                        "jaw_right": (650, 660), "hairline": (500, 180)})
        for (x, y), zone in (((400, 400), "eye, left"), ((600, 460), "under-eye, right"), ((500, 300), "forehead"),
                             ((500, 500), "nose"), ((500, 610), "lips"), ((500, 700), "chin"),
                             ((370, 540), "cheek, left"),
                             ((640, 540), "cheek, right"), ((500, 800), "neck"),
                             ((500, 1900), "")):
            self.assertEqual(face.zone_at(x, y), zone, (x, y))
        self.assertEqual(face.moved("chin", 505, 900).zone_at(500, 800), "chin")
        self.assertAlmostEqual(face.pixels_per_mm, 200 / 62, 3)


def below_hairline(sitter, shape: tuple[int, int]) -> np.ndarray:
    """True below the hairline: through hair cropped close, zone maps call the scalp skin; nothing is mended there."""
    first = sitter.landmarks["hairline"][1] / sitter.zones.shape[0] * shape[0]
    return np.arange(shape[0])[:, None] > first + np.zeros(shape[1])


class SkinTest(unittest.TestCase):
    def test_skin_is_told_from_walls_cloth_and_locks_of_its_colour(self):
        for name, least in (("ambrose", 0.8), ("tilda", 0.82), ("pip", 0.85), ("marlow", 0.8), ("wren", 0.8)):
            skin = measures(name).skin > 0.5
            sitter = load_sitter(name)
            truth = cv2.resize((sitter.zones == SKIN).astype(np.float32), skin.shape[::-1],
                               interpolation=cv2.INTER_AREA) > 0.5
            below = below_hairline(sitter, skin.shape)
            self.assertGreater((skin & truth & below).sum() / ((skin | truth) & below).sum(), least, name)

    def test_a_cream_shirt_beside_dark_skin_is_no_shine_on_it(self):
        sitter = load_sitter("tilda")
        shirt = cv2.erode((sitter.zones == CLOTHING).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        cream = as_float32(sitter.picture.pixels)
        cream[shirt] = np.clip(0.9 + 0.2 * (cream[shirt] - cream[shirt].mean(0)), 0, 1) * (1, 0.9, 0.8)
        found = PhotoMeasures(Photo(Picture(np.round(65535 * cream).astype(np.uint16)), b"", "cream")).skin > 0.5
        shirt = cv2.resize(shirt.astype(np.uint8), found.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0
        self.assertLess((found & shirt).sum() / shirt.sum(), 0.02)

    def test_the_strip_that_light_from_behind_makes_pale_is_skin(self):
        for name, places in (("ambrose", ((652, 930), (674, 768))), ("tilda", ((1268, 798), (1284, 684)))):
            found = measures(name)
            for x, y in places:
                self.assertGreater(found.skin[int(y / found.scale), int(x / found.scale)], 0.5, (name, x, y))

    def test_the_side_away_from_the_light_is_skin_and_the_dark_behind_it_is_not(self):
        for name, most in (("ambrose", 0.075), ("wren", 0.085)):
            sitter = load_sitter(name)
            darker = np.round(65535 * (as_float32(sitter.picture.pixels) ** 1.25)).astype(np.uint16)
            skin = PhotoMeasures(Photo(Picture(darker), b"", name)).skin > 0.5
            truth = cv2.resize((sitter.zones == SKIN).astype(np.uint8), skin.shape[::-1])
            truth &= below_hairline(sitter, skin.shape)
            inner, outer = cv2.erode(truth, np.ones((5, 5))) > 0, cv2.dilate(truth, np.ones((7, 7))) > 0
            self.assertLess((inner & ~skin).sum() / inner.sum(), most, name)
            self.assertLess((skin & ~outer).sum() / inner.sum(), 0.02, name)


class GrainTest(unittest.TestCase):
    def test_known_grain_is_measured_within_five_per_cent_and_its_size_within_ten(self):
        ys, xs = np.mgrid[:900, :1200]
        clean = np.stack([0.15 + 0.6 * xs / 1200 + 0.05 * np.sin(ys / 180)] * 3, -1).astype(np.float32)
        rng = np.random.default_rng(3)
        for grain in (Grain(0.6, 0.6, 0.3), Grain(1.0, 0.4, 0.1), Grain(2.0, 1.4, 0.8)):
            picture = np.round(np.clip(clean + grain_field(clean, grain, rng), 0, 1) * 65535).astype(np.uint16)
            found = measure_grain(Photo(Picture(picture), b"", "grain"))
            ratios = [level / (grain.level_percent * (0.5 + 2 * at * (1 - at))) for at, level in found.level_percent]
            self.assertLess(abs(np.mean(ratios) - 1), 0.05, grain)
            self.assertLess(abs(found.size_px / grain.size_px - 1), 0.10, grain)
            self.assertLess(abs(found.chroma_share - grain.chroma_share), 0.1, grain)

    def test_no_grain_is_no_grain(self):
        flat = np.full((200, 200, 3), 30000, np.uint16)
        levels = measure_grain(Photo(Picture(flat), b"", "flat")).level_percent
        self.assertLess(max([level for _, level in levels], default=0), 0.01)


class TextureScaleTest(unittest.TestCase):
    def test_the_split_is_where_the_pores_have_left_the_tone(self):
        radius = np.hypot(np.fft.fftfreq(96)[:, None], np.fft.rfftfreq(96)[None])
        pores = np.exp(-(((radius - 0.08) / 0.02) ** 2))  # 12 px apart
        width = split_width(pores, radius, 2000)
        left = np.exp(-2 * (np.pi * width * 0.08) ** 2) ** 2
        self.assertLess(left, 0.05)  # of these pores nearly nothing is left in the tone
        self.assertGreater(left, 0.005)  # and no wider than it need be
        self.assertGreater(split_width(np.exp(-(((radius - 0.04) / 0.01) ** 2)), radius, 2000), 1.5 * width)

    def test_every_face_has_one_near_what_people_use(self):
        for name in ("wren", "tilda", "pip"):
            found = measures(name)
            share = found.texture_scale.split_px / found.face_width_px
            self.assertTrue(0.002 < share < 0.008, (name, share))  # 6 px on 2000 px is 0.003


class ResidualTest(unittest.TestCase):
    bounds = Rect(0, 0, 200, 100)

    def picture(self, depth):
        values = np.full((100, 200, 3), 0.6, np.float32)
        values[48:52, 20:180] -= depth
        return lambda rect: values[rect.y0 : rect.y1, rect.x0 : rect.x1]

    def test_half_the_depth_leaves_half_the_contrast(self):
        path = tuple((float(x), 50.0) for x in range(25, 176, 10))
        find = Find("c", "crease", 100, 50, 150, 6, 1, path=path, width_px=4.0)
        was, now = (find_contrast(find, self.picture(d), self.bounds, None) for d in (0.10, 0.05))
        self.assertLess(was, -5)
        self.assertAlmostEqual(residual_share(was, now), 0.5, delta=0.03)
        self.assertIsNone(residual_share(0.1, 0.0))

    def test_a_keeper_painted_over_is_told(self):
        find = Find("m", "mole", 100, 50, 10, 12, 1, keeper=True)
        before = self.picture(0.2)
        args = ([find], before)
        self.assertEqual(intact_keepers(*args, before, self.bounds, None), [find])
        self.assertEqual(intact_keepers(*args, self.picture(0.0), self.bounds, None), [])
