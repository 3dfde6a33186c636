"""The guard of anatomy is there for everybody, also for those who want no finds when a photo is opened."""

import cv2
import numpy as np

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.practice.sitters import LIPS
from tests.support.pictures import plate
from tests.support.window_case import WindowCase


class GuardTest(WindowCase):
    gauges = True

    def test_a_dab_beside_the_lips_leaves_them_though_nothing_is_looked_for(self):
        made = plate()
        write_picture(self.folder / "plate.png", made.photo, profile=srgb_profile())
        self.open_on_desk(self.folder / "plate.png")
        self.wait(lambda: self.desk.control.spared.guard is not None, 90)
        self.assertIsNone(self.job.job.finds)
        lips = (made.zones == LIPS).astype(np.uint8)
        ys, xs = np.nonzero(lips)
        x, y = int(xs.mean()), int(ys.max()) + 40
        before = self.whole()
        self.canvas.centre_on(x, y, 1.0)
        self.settle()
        self.desk.brush_strip.size.set_value(140, tell=True)
        self.click(x, y)
        changed = np.abs(self.whole() - before).max(-1)
        self.assertGreater(float(changed[y + 5 : y + 25, x - 20 : x + 20].max()), 0.003, "the skin below is mended")
        inner = cv2.erode(lips, np.ones((17, 17), np.uint8)) > 0
        reached = np.hypot(*np.mgrid[-y : lips.shape[0] - y, -x : lips.shape[1] - x]) < 70
        self.assertGreater(int((inner & reached).sum()), 200, "the brush lies over the lips")
        self.assertEqual(float(changed[inner].max()), 0.0)
