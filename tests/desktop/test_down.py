"""Down and Grow on the desk: a field taken out by key, its box and mask, the lamp, hair grown with the pen."""

import cv2
import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.core.job.finds import Find
from lather.core.practice.flaws import down
from tests.core.test_grow_hair import brow
from tests.desktop.test_stages import StageCase
from tests.support.pictures import skin_like

FIELD = ((190.0, 120.0), (420.0, 120.0), (420.0, 330.0), (190.0, 330.0))


def hairy() -> tuple[np.ndarray, np.ndarray]:
    """(skin with a field of dark down, the same skin without), uint16."""
    bare = skin_like(420, 600)
    where = np.zeros(bare.shape[:2], np.float32)
    where[130:320, 200:410] = 1
    cover = down.cover_of(down.Fur(0.5, 1.2, np.zeros(3), width_mm=(0.06, 0.1)), where, 6.0, np.random.default_rng(2))
    drawn = down.lay(bare / np.float32(65535), cover, np.array([0.2, 0.13, 0.09], np.float32))
    return np.round(drawn * 65535).astype(np.uint16), bare


def field_find() -> Find:
    told = {"percent": 34.0, "zone": "cheek"}
    return Find("down-1", "down", 305, 225, 210, 1.4, 0.8, "cheek", outline=FIELD, extra={"down": told})


class DownTest(StageCase):
    def setUp(self):
        super().setUp()
        pixels, bare = hairy()
        self.bare = bare / 65535
        self.open(pixels, [field_find()])
        self.to_stage(Qt.Key.Key_2)
        self.part = self.desk.part

    def off(self) -> float:
        """Energy of what is off the bare skin inside the field, and finer than the light that down adds on the mean."""
        off = (self.whole() - self.bare).mean(-1).astype(np.float32)
        return float(((off - cv2.GaussianBlur(off, (0, 0), 5.0))[140:310, 210:400] ** 2).sum())

    def test_a_field_is_taken_out_by_key_its_box_leaves_some_and_undo_takes_it_back(self):
        self.assertIn("cheek 34 %", self.part.hairs.down_says.text())
        was = self.off()
        self.key(Qt.Key.Key_W)
        self.key(Qt.Key.Key_E)
        self.rest()
        layer = self.job.job.stage("strands").layers[0]
        self.assertEqual((layer.kind, [edit.find for edit in layer.edits]), ("down", ["down-1"]))
        self.job.choose_layer(layer.id)
        self.settle()
        box = self.part.box["down"]
        self.assertIs(self.part.panel.currentWidget(), box)
        self.assertTrue(self.desk.brush_strip.tools["mask_area"].isVisible())
        box.controls["leave"].set_value(0, tell=True)
        self.settle()
        self.assertLess(self.off(), 0.5 * was)
        np.testing.assert_array_equal(self.whole()[:60], self.photo[:60])
        box.controls["leave"].set_value(100, tell=True)
        self.settle()
        np.testing.assert_array_equal(self.whole(), self.photo)
        for _ in range(3):
            self.key(Qt.Key.Key_Z)
        self.assertEqual(self.job.job.stage("strands").layers, ())

    def test_the_button_shows_down_and_painting_makes_its_layer(self):
        QTest.mouseClick(self.part.hairs.down, Qt.MouseButton.LeftButton)
        self.settle()
        self.assertTrue(self.part.proposes())
        self.assertEqual(self.job.job.stage("strands").layers, ())
        QTest.mouseClick(self.desk.brush_strip.tools["mask"], Qt.MouseButton.LeftButton)
        self.desk.state.change(size_px=120, flow=1.0)
        self.drag([(240, 200), (300, 210), (360, 220)])
        self.wait(self.part.idle, 60)
        self.settle()
        layers = self.job.job.stage("strands").layers
        self.assertEqual([layer.kind for layer in layers], ["down"])
        changed = np.abs(self.whole() - self.photo).max(-1) > 0.01
        self.assertTrue(changed[180:240, 240:360].any())
        self.assertFalse(changed[:60].any())

    def test_the_lamp_shows_hair_alone(self):
        self.desk.lamps.choose("down")
        self.settle()
        places = [(x, y) for x in range(0, 60, 3) for y in range(200, 240, 3)]
        inside, outside = (np.array([self.shown(left + x, y)[0] for x, y in places]) for left in (250, 480))
        self.assertGreater(inside.std(), 2 * outside.std())
        self.assertAlmostEqual(float(np.median(outside)), 127, delta=12)


class GrowTest(StageCase):
    def test_hair_is_grown_with_the_pen_beside_hair_and_misses_are_told(self):
        self.open(brow())
        self.to_stage(Qt.Key.Key_2)
        QTest.mouseClick(self.desk.brush_strip.tools["grow_hair"], Qt.MouseButton.LeftButton)
        self.drag([(150, 132), (170, 130), (190, 128)])
        self.rest()
        layer = self.job.job.stage("strands").layers[0]
        self.assertEqual([edit.tool for edit in layer.edits], ["grow_hair"])
        darker = (self.photo - self.whole()).max(-1) > 0.1
        self.assertGreater(darker[80:150, 130:215].sum(), 40)
        self.drag([(40, 230), (60, 232), (80, 236)])
        self.rest()
        self.assertEqual(len(self.job.job.stage("strands").layers[0].edits), 1)
        self.assertIn("No hair grows near here", self.window.notice.text())
