import unittest

import numpy as np

from lather.core.types import Rect, tiles_of
from lather.desktop.canvas.view import MOST_SCALE, View

PICTURE = Rect(0, 0, 6000, 4000)


class ViewTest(unittest.TestCase):
    def test_there_and_back_and_zoom_at_the_pointer(self):
        view = View(0.37, 120.5, -44, 800, 600)
        np.testing.assert_allclose(view.to_source(*view.to_screen(1234.5, 987.6)), (1234.5, 987.6))
        zoomed = view.zoomed(3, 250, 160)
        np.testing.assert_allclose(zoomed.to_source(250, 160), view.to_source(250, 160))
        self.assertEqual(view.zoomed(1e9, 0, 0).scale, MOST_SCALE)

    def test_levels_have_a_pixel_for_every_screen_pixel(self):
        for scale, level in ((1.0, 0), (2.0, 0), (0.51, 0), (0.5, 1), (0.26, 1), (0.25, 2), (0.01, 4)):
            self.assertEqual(View(scale).level(4), level, scale)

    def test_fit_shows_everything_and_the_picture_cannot_be_lost(self):
        view = View(width=800, height=600).fitted(PICTURE)
        self.assertEqual(view.visible(PICTURE), PICTURE)
        far = view.moved(1e6, -1e6).kept_near(PICTURE)
        self.assertFalse(far.visible(PICTURE).empty)

    def test_rounds_of_scale_and_tiles(self):
        view = View(0.9, width=800, height=600)
        self.assertEqual(view.stepped(1, 0, 0).scale, 1.0)
        self.assertEqual(view.stepped(-1, 0, 0).scale, 0.667)
        self.assertEqual(tiles_of(Rect(255, 0, 257, 1)), [(0, 0), (1, 0)])
        self.assertEqual(tiles_of(Rect(5, 5, 5, 9)), [])
