"""Lamps: what each one shows, on pictures whose truth is known; tiles meet."""

import unittest

import numpy as np

from lather.core.lamps.registry import LAMPS, under_lamp
from lather.core.types import Rect
from tests.support.layers import outline, stroke, with_layer
from tests.support.pictures import session_of, skin_like

SETTINGS = {"width_px": 5.0, "face_px": 700.0, "skin_lab": (62.0, 14.0, 16.0)}


def seen(session, lamp_id, rect=None, level=0, **more):
    looked = under_lamp(session.job, lamp_id, SETTINGS | more)
    return session.engine.pixels(looked, rect or session.photo.level_bounds(level), level)


def marked():
    """Skin with a dark disc, a red one of the same lightness, a burnt and a black corner."""
    picture = np.full((420, 600, 3), (0.72, 0.55, 0.47), np.float32)
    y, x = np.mgrid[:420, :600]
    picture[np.hypot(x - 150, y - 200) < 20] *= 0.9
    picture[np.hypot(x - 400, y - 200) < 20] = (0.80, 0.52, 0.46)
    picture[:40, :40], picture[:40, -40:] = 1.0, 0.0
    return session_of(np.round(picture * 65535).astype(np.uint16))


class LampsTest(unittest.TestCase):
    def test_tiles_of_every_lamp_meet_at_every_level(self):
        session = session_of(skin_like(700, 900))
        for lamp_id in LAMPS:
            for level in (0, 1):
                with self.subTest(lamp=lamp_id, level=level):
                    whole = seen(session, lamp_id, level=level)
                    for part in (Rect(0, 0, 97, 83), Rect(131, 57, 260, 170), Rect(301, 205, 350, 350)):
                        own = seen(session, lamp_id, part, level)
                        self.assertLess(np.abs(own - whole[part.slices(Rect(0, 0, 1, 1))]).max(), 2e-3)

    def test_grey_has_no_colour_and_its_mix_goes_from_red_to_blue(self):
        session = marked()
        for mix, channel in ((0.0, 0.72), (0.5, 0.55), (1.0, 0.47)):
            shown = seen(session, "grey", strength=mix)
            self.assertAlmostEqual(float(shown[300, 300, 0]), channel, delta=0.005)
            self.assertEqual(float(np.ptp(shown, axis=2).max()), 0.0)

    def test_blotch_shows_dark_places_dark_and_even_skin_grey(self):
        session = marked()
        shown = seen(session, "blotch")
        self.assertAlmostEqual(float(shown[320, 290, 0]), 0.5, delta=0.01)
        self.assertLess(float(shown[200, 150, 0]), 0.42)
        stronger = seen(session, "blotch", strength=6.0)
        self.assertAlmostEqual((0.5 - stronger[200, 150, 0]) / (0.5 - shown[200, 150, 0]), 2.0, delta=0.01)

    def test_colour_shows_red_as_red_and_hardly_minds_what_is_only_dark(self):
        session = marked()
        even, red, dark = (seen(session, "colour")[y, x] for y, x in ((320, 290), (200, 400), (200, 150)))
        self.assertGreater(red[0] - red[1], even[0] - even[1] + 0.05)
        self.assertLess(abs((dark[0] - dark[1]) - (even[0] - even[1])), 0.01)

    def test_clipping_marks_full_and_empty_apart_and_nothing_else(self):
        shown = seen(marked(), "clipping")
        full, empty, skin = shown[10, 10], shown[10, -10], shown[300, 300]
        self.assertGreater(full[0], full[2] + 0.5)
        self.assertGreater(empty[2], empty[0] + 0.3)
        self.assertEqual(float(np.ptp(skin)), 0.0)

    def test_steep_breaks_where_tone_is_off_by_a_little(self):
        picture = np.full((300, 400, 3), 0.6, np.float32)
        picture[:, 200:] += 0.01
        shown = seen(session_of(np.round(picture * 65535).astype(np.uint16)), "steep", strength=8.0)
        self.assertGreater(abs(float(shown[150, 100, 0] - shown[150, 300, 0])), 0.1)

    def test_change_is_grey_where_nothing_was_done_and_times_what_was(self):
        session = marked()
        self.assertEqual(float(np.abs(seen(session, "change") - 0.5).max()), 0.0)
        edit = stroke("area", outline(80, 130, 220, 270), 40, feather=20.0)
        job = with_layer(session.job, "split", edit, band="tone", width_px=5.0)
        rect = session.photo.level_bounds(0)
        moved = session.engine.pixels(job, rect) - session.photo.read(rect)
        shown = session.engine.pixels(under_lamp(job, "change", SETTINGS | {"strength": 8.0}), rect)
        np.testing.assert_allclose(np.clip(shown, 0, 1), np.clip(8 * moved + 0.5, 0, 1), atol=2e-3)
        self.assertGreater(float(np.abs(shown - 0.5).max()), 0.05)


if __name__ == "__main__":
    unittest.main()
