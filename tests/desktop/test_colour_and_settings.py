"""Colour on screen and in delivered files; what the desk remembers; more of the hands."""

import io
import json
import os
from unittest import mock

import cv2
import numpy as np
from PIL import Image, ImageCms
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest

from lather.core.brush.stroke import rasterise
from lather.core.colour import profiles
from lather.core.imageio.write import write_picture
from lather.core.stages.mend.stage import TOOLS as MEND_TOOLS
from lather.desktop import settings
from lather.desktop.input.keys import ACTIONS, load_bindings, settings_folder
from tests.support.pictures import WIDE, session_of, skin_like
from tests.support.window_case import WindowCase


class ColourTest(WindowCase):
    def setUp(self):
        super().setUp()
        path = self.folder / "wide.png"
        smooth = cv2.GaussianBlur(skin_like(300, 400), (0, 0), 9)  # so that half a pixel more or less is no matter
        write_picture(path, smooth, profile=WIDE)
        self.open_on_desk(path)
        self.expected = profiles.convert(
            self.window.job.session.photo.read(self.canvas.picture), WIDE, profiles.srgb_profile()
        )

    def test_the_screen_shows_a_wide_photo_through_its_profile(self):
        self.canvas.zoom_to(1.0)
        self.settle()
        for x, y in ((50, 60), (200, 150), (333, 222)):
            shown = np.array(self.shown(x + 0.5, y + 0.5))
            self.assertLess(np.abs(shown - self.expected[y, x] * 255).max(), 2.5)

    def test_delivered_in_srgb_or_in_its_own_profile_a_managed_viewer_sees_the_same(self):
        for choice in ("srgb", "own"):
            path = self.deliver(choice, format="PNG", profile=choice, sharpen=False)
            with Image.open(path) as image:
                embedded = image.info["icc_profile"]
                seen = ImageCms.profileToProfile(
                    image, ImageCms.ImageCmsProfile(io.BytesIO(embedded)), ImageCms.createProfile("sRGB"),
                    renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
                )
            self.assertEqual(embedded == WIDE, choice == "own")
            self.assertLess(np.abs(np.asarray(seen) / 255 - self.expected).mean(), 0.004, choice)

    def test_a_display_profile_is_taken_from_the_settings(self):
        path = self.folder / "display.icc"
        path.write_bytes(WIDE)
        with mock.patch.dict(os.environ, {"LATHER_DISPLAY_PROFILE": str(path)}):
            self.assertEqual(settings.display_profile().profile, WIDE)
        path.write_bytes(b"rubbish")
        with mock.patch.dict(os.environ, {"LATHER_DISPLAY_PROFILE": str(path)}):
            self.assertIsNone(settings.display_profile().profile)
            self.assertIn("no RGB profile", settings.display_profile().said)


class SettingsTest(WindowCase):
    def test_recent_files_are_offered_newest_first_and_the_gone_left_out(self):
        for name in ("a.png", "b.png", "c.png"):
            write_picture(self.folder / name, skin_like(60, 60), profile=profiles.srgb_profile())
            self.window.open_path(self.folder / name)
            self.settle()
        (self.folder / "b.png").unlink()
        self.assertEqual([os.path.basename(p) for p in settings.recent_files()][:2], ["c.png", "a.png"])
        header = self.window.header
        header._fill_menu()
        labels = [action.text() for action in header.open_menu.actions()]
        self.assertEqual([x for x in labels if x.endswith(".png")][:2], ["c.png", "a.png"])
        next(a for a in header.open_menu.actions() if a.text() == "a.png").trigger()
        self.settle()
        self.assertEqual(self.window.job.session.photo.name, "a.png")

    def test_keys_can_be_rebound_and_nonsense_is_ignored(self):
        suggested = {action.id: action.key for action in ACTIONS}
        self.assertEqual(load_bindings(), suggested)
        self.assertEqual(len(set(suggested.values())), len(suggested))
        path = settings_folder() / "keys.json"
        path.parent.mkdir(parents=True, exist_ok=True)
        self.addCleanup(path.unlink)
        path.write_text(json.dumps({"fit": "W", "unknown": "Q"}))
        self.assertEqual(load_bindings(), suggested | {"fit": "W"})
        path.write_text("not json")
        self.assertEqual(load_bindings(), suggested)

    def test_letters_typed_into_a_field_are_not_keys(self):
        self.take(session_of(skin_like()))
        row = self.desk.layers.rows[0]
        row.start_renaming()
        QTest.keyClicks(row.edit, "Fazbx")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.assertEqual(self.window.job.layer.name, "Fazbx")
        self.assertEqual(self.desk.state.tool, "dab")
        self.assertTrue(self.desk.left.isVisible())


class HandsTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(skin_like(500, 700)))
        self.canvas.zoom_to(1.0)
        self.settle()

    def test_holding_still_builds_up_where_asked(self):
        strip = self.desk.brush_strip
        strip.choose("give_back")
        strip.flow.set_value(5, tell=True)
        covered = []
        for build_up in (False, True):
            if build_up:
                strip.pen_buttons["build_up"].click()
            self.mouse(QEvent.Type.MouseButtonPress, 300, 200)
            self.pump(0.6)
            self.mouse(QEvent.Type.MouseButtonRelease, 300, 200, down=False)
            self.settle()
            edit = self.window.job.layer.edits[-1]
            covered.append(rasterise(edit.touches, self.canvas.picture, edit.brush.edge).max())
        self.assertAlmostEqual(covered[0], 0.05, places=4)
        self.assertGreater(covered[1], 0.25)

    def test_a_dab_can_be_drawn_along_a_scratch(self):
        pixels = skin_like(500, 700)
        pixels[200:206, 250:420] = (20000, 15000, 12000)
        self.take(session_of(pixels))
        self.canvas.zoom_to(1.0)
        self.settle()
        self.desk.brush_strip.size.set_value(24, tell=True)
        self.drag([(240 + 10 * i, 203) for i in range(20)])
        session = self.window.job.session
        after = session.engine.pixels(session.job, session.photo.bounds)
        clean = skin_like(500, 700) / 65535
        self.assertEqual(len(self.window.job.layer.edits), 1)
        self.assertLess(np.abs(after - clean)[195:211, 245:425].mean(), 0.02)

    def test_b_walks_through_the_tools_x_folds_and_y_fits(self):
        for tool in (*MEND_TOOLS[1:], MEND_TOOLS[0]):
            self.key(Qt.Key.Key_B)
            self.assertTrue(self.desk.brush_strip.tools[tool].isChecked())
        width = self.canvas.width()
        self.key(Qt.Key.Key_X)
        self.assertGreater(self.canvas.width(), width + 300)
        self.key(Qt.Key.Key_X)
        self.assertEqual(self.canvas.width(), width)
        self.key(Qt.Key.Key_Y)
        self.assertEqual(self.canvas.view.visible(self.canvas.picture), self.canvas.picture)
        self.key(Qt.Key.Key_Y)
        self.assertEqual(self.canvas.view.scale, 1.0)

    def test_side_by_side_shows_the_same_place_twice(self):
        self.click(300, 200)
        self.window.show_screen("review")
        review = self.window.screens["review"]
        review.modes.button("side").click()
        review.zoom.button("1").click()
        self.wait(review.canvas.ready)
        image = review.canvas.grab().toImage()
        half = review.canvas.view.width
        x, y = 60, 300
        left, right = image.pixelColor(x, y), image.pixelColor(x + half, y)
        self.assertLess(abs(left.red() - right.red()) + abs(left.green() - right.green()), 4)
        layer = self.window.job.layer
        review.layers.sliders[layer.id].set_value(40, tell=True)
        self.assertAlmostEqual(self.window.job.layer.strength, 0.4)

    def test_the_start_screen_offers_the_way_in(self):
        self.window.close_job()
        self.window.show_start()
        start = self.window.screens["start"]
        self.assertTrue(start.open_button.text() and start.demo_button.text())
        self.assertFalse(self.window.header.save_button.isVisible())
        QTest.keyClick(start, Qt.Key.Key_Z)  # keys do no harm with nothing open
