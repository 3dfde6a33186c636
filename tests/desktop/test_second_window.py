"""A second window for the photo, and the small map of the whole, in the real window."""

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase


class SeenTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(skin_like(900, 1200)))
        self.foot = self.desk.seen

    def middle(self, canvas):
        view = canvas.view
        return view.to_source(view.width / 2, view.height / 2)

    def test_the_map_comes_with_the_zoom_shows_the_retouch_and_a_click_goes_there(self):
        small = self.foot.map
        self.assertFalse(small.isVisible())
        self.canvas.set_view(self.canvas.view.at_scale(2.0, 0, 0), fitted=False)
        self.settle()
        self.assertTrue(small.isVisible())
        self.wait(lambda: small._image is not None)
        QTest.mouseClick(small, Qt.MouseButton.LeftButton, pos=QPoint(small.width() // 4, small.height() // 4))
        self.settle()
        np.testing.assert_allclose(self.middle(self.canvas), (300, 225), atol=14)
        self.assertEqual(self.job.job.edit_count, 0)
        self.key(Qt.Key.Key_Y)
        self.canvas.fit()
        self.settle()
        self.assertFalse(small.isVisible())

    def test_the_second_window_is_linked_both_ways_and_goes_with_the_job(self):
        self.key(Qt.Key.Key_L)
        second = self.foot.second
        self.assertTrue(second.isVisible() and self.foot.other.isChecked())
        QTest.mouseClick(second.shows.button("1"), Qt.MouseButton.LeftButton)
        self.canvas.set_view(self.canvas.view.at_scale(3.0, 0, 0).centred(400, 500), fitted=False)
        self.pump()
        self.assertEqual(second.canvas.view.scale, 1.0)
        np.testing.assert_allclose(self.middle(second.canvas), (400, 500), atol=2)
        self.click(400, 500)
        self.wait(second.canvas.ready)
        self.assertIs(second.canvas._plain_job, self.job.job)
        QTest.mouseClick(second.shows.button("whole"), Qt.MouseButton.LeftButton)
        self.wait(second.canvas.ready)
        at = self.at(900, 300, second.canvas).toPoint()
        QTest.mouseClick(second.canvas, Qt.MouseButton.LeftButton, pos=at)
        np.testing.assert_allclose(self.middle(self.canvas), (900, 300), atol=6)
        self.assertEqual(self.job.job.edit_count, 1)
        second.close()
        self.pump()
        self.assertFalse(self.foot.other.isChecked())
        self.key(Qt.Key.Key_L)
        self.assertTrue(second.isVisible())  # and is closed with the job, as every test sees
