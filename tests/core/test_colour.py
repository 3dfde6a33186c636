import unittest

import imagecodecs
import numpy as np
from PIL import ImageCms

from lather.core.colour import profiles, srgb
from lather.core.colour.lab import delta_e2000, srgb_to_lab

LAB = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
WIDE = imagecodecs.cms_profile("rgb", whitepoint=[0.3127, 0.329, 1.0],
                               primaries=[0.64, 0.33, 1, 0.21, 0.71, 1, 0.15, 0.06, 1], gamma=2.2)


class ColourTest(unittest.TestCase):
    def test_ciede2000_gives_the_published_values(self):
        # rows 1, 7, 13, 17 and 25 of the test data of Sharma, Wu and Dalal (2005)
        pairs = [
            ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425), ((50, 0, 0), (50, -1, 2), 2.3669),
            ((50, 2.5, 0), (50, 0, -2.5), 4.3065), ((50, 2.5, 0), (73, 25, -18), 27.1492),
            ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        ]
        for one, other, expected in pairs:
            self.assertAlmostEqual(float(delta_e2000(np.array([one]), np.array([other]))[0]), expected, places=4)

    def test_srgb_round_trip_and_white(self):
        codes = np.linspace(0, 1, 4097, dtype=np.float32)
        self.assertLess(np.abs(srgb.encode(srgb.decode(codes)) - codes).max(), 2e-6)
        np.testing.assert_allclose(srgb_to_lab(np.ones((1, 3))), [[100, 0, 0]], atol=0.02)

    def test_decoding_follows_the_standard_at_every_value_and_beyond(self):
        codes = np.linspace(-0.2, 1.3, 30003, dtype=np.float32).reshape(3, 10001)
        exact = np.where(codes <= 0.04045, codes / 12.92, ((np.maximum(codes, 0).astype(float) + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(srgb.decode(codes), exact, atol=2e-7)
        self.assertEqual(srgb.decode(0.5).shape, ())
        self.assertTrue(np.isnan(srgb.decode(np.float32([np.nan]))[0]))

    def test_own_lab_agrees_with_littlecms(self):
        rng = np.random.default_rng(0)
        colours = rng.random((1, 500, 3)).astype(np.float32)
        own = srgb_to_lab(colours)
        theirs = imagecodecs.cms_transform(
            np.round(colours * 65535).astype(np.uint16), profiles.srgb_profile(), LAB,
            colorspace="rgb", outcolorspace="lab", outdtype=np.float64,
        )
        self.assertLess(np.median(delta_e2000(own, theirs)), 0.3)

    def test_display_table_is_good_to_one_step_and_absent_where_not_needed(self):
        self.assertIsNone(profiles.display_lut(None, None))
        rng = np.random.default_rng(1)
        red = rng.uniform(0.4, 0.9, (64, 64))
        green = red * rng.uniform(0.6, 0.85, red.shape)
        skin = np.stack([red, green, green * rng.uniform(0.65, 0.95, red.shape)], -1).astype(np.float32)
        exact = profiles.convert(skin, WIDE, profiles.srgb_profile())
        shown = profiles.apply_display_lut(skin, profiles.display_lut(WIDE, None))
        self.assertLess(np.abs(shown - np.clip(exact, 0, 1)).max(), 1.2 / 255)
        self.assertGreater(np.abs(exact - skin).max(), 0.02)  # the profiles do differ
