"""The whole way: open a plate, mend by mouse and pen, turn down, undo, save, reopen, deliver; pixels checked."""

import io

import numpy as np
from PIL import Image, ImageCms
from PyQt6.QtCore import Qt

from lather.core.colour import profiles
from lather.core.colour.lab import srgb_to_lab
from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.measure.bands import tone_error
from lather.core.people.reading import people_of
from tests.support.pictures import plate
from tests.support.window_case import WindowCase


class ThinSliceTest(WindowCase):
    def error_at(self, pixels, flaw) -> float:
        """Mean tone error to the plate's truth inside a flaw."""
        made, r = plate(), int(flaw.size_px) + 30
        window = np.s_[int(flaw.y) - r : int(flaw.y) + r, int(flaw.x) - r : int(flaw.x) + r]
        lab = [srgb_to_lab(np.clip(p[window], 0, 1)) for p in (pixels, made.truth / np.float32(65535))]
        ys, xs = np.mgrid[-r:r, -r:r]
        return float(tone_error(*lab, made.sitter.face_width_px)[np.hypot(xs, ys) < flaw.size_px / 2].mean())

    @staticmethod
    def spot_with_clear_skin_beside(made, spots):
        """A spot left of which there is nothing but skin, as a retoucher would choose it."""
        def clear(spot):
            x, y = spot.x - 2.6 * spot.size_px - 12, spot.y + 4
            near = [f for f in made.flaws if np.hypot(f.x - x, f.y - y) < 1.2 * spot.size_px + f.size_px / 2 + 5]
            around = made.zones[int(y) - 20 : int(y) + 20, int(x) - 20 : int(x) + 20]
            return spot.zone.startswith(("cheek", "forehead")) and not near and (around == 1).all()

        return next(spot for spot in spots if clear(spot))

    def test_a_retoucher_mends_a_portrait_and_delivers_it(self):
        made = plate()
        photo_path = self.folder / "plate.png"
        write_picture(photo_path, made.photo, profile=profiles.srgb_profile())
        self.open_on_desk(photo_path)
        job = self.window.job
        people_of(job.session.photo)  # contours are known from here on, while nobody has made a guard of them yet
        spots = [f for f in made.flaws if not f.keeper]
        before = job.session.photo.read(job.session.photo.bounds)

        # ten spots by mouse
        for flaw in spots[:10]:
            self.canvas.centre_on(flaw.x, flaw.y, 1.0)
            self.settle()
            self.desk.brush_strip.size.set_value(1.6 * flaw.size_px + 4, tell=True)
            self.click(flaw.x, flaw.y)
        self.assertEqual([e.tool for e in job.layer.edits], ["dab"] * 10)
        mended = self.whole()
        errors = [self.error_at(mended, f) for f in spots[:10]]
        flawed = [self.error_at(before, f) for f in spots[:10]]
        self.assertLess(np.mean(errors), 0.8)
        self.assertLess(np.mean(errors), np.mean(flawed) / 4)
        shown = np.array(self.shown(spots[9].x, spots[9].y))
        expected = mended[int(spots[9].y), int(spots[9].x)] * 255
        self.assertLess(np.abs(shown - expected).max(), 12)  # the screen shows the mended pixel, not the spot

        # one carried by pen, with pressure
        last = self.spot_with_clear_skin_beside(made, spots[10:])
        self.desk.brush_strip.choose("carry")
        self.desk.brush_strip.size.set_value(1.7 * last.size_px + 6, tell=True)
        self.desk.brush_strip.pen_buttons["pressure_flow"].click()
        self.canvas.centre_on(last.x, last.y, 1.0)
        self.settle()
        with self.hold(Qt.Key.Key_A):
            self.click(last.x - 2.6 * last.size_px - 12, last.y + 4)
        half = last.size_px / 4
        pressures = (0.4, 0.8, 1.0, 0.9, 0.6)
        self.pen_stroke([(last.x + half * k, last.y, p) for k, p in zip((-1, -0.5, 0, 0.5, 1), pressures)] * 2)
        carried = job.layer.edits[-1]
        self.assertEqual(carried.tool, "carry")
        np.testing.assert_allclose(carried.points[:5, 2], pressures, atol=0.01)
        self.assertLess(self.error_at(self.whole(), last), self.error_at(before, last) / 3)

        # layer to 60 %, by keyboard; undo and redo
        full = self.whole()
        self.desk.layers.strength.setFocus()
        for _ in range(4):
            self.key_in(self.desk.layers.strength, Qt.Key.Key_PageDown)
        self.assertAlmostEqual(job.layer.strength, 0.6)
        down = self.whole()
        np.testing.assert_allclose(down, before + 0.6 * (full - before), atol=2e-5)
        self.canvas.setFocus()
        steps = job.session.history.position
        for _ in range(steps):
            self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), before)
        for _ in range(steps):
            self.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        np.testing.assert_array_equal(self.whole(), down)

        # save, reopen: the same pixels and the same undo
        path = self.folder / "plate.lather"
        job.save(path)
        self.wait(lambda: not job.saving)
        self.assertEqual(self.window.header.state.text(), "Saved")
        self.assertFalse(self.window.windowTitle().startswith("•"))
        self.assertTrue(self.window.open_path(path))
        self.settle()
        np.testing.assert_array_equal(self.whole(), down)
        self.window.job.undo()
        np.testing.assert_array_equal(self.whole(), full)  # the way down to 60 % was one step
        self.window.job.redo()

        # deliver
        path = self.deliver("out", quality=97, sharpen=False)
        out = read_picture(path)
        self.assertLess(np.abs(out.pixels / 255 - np.clip(down, 0, 1)).mean(), 0.01)
        with Image.open(path) as image:
            self.assertIn("sRGB", ImageCms.getProfileDescription(
                ImageCms.ImageCmsProfile(io.BytesIO(image.info["icc_profile"]))))

    def key_in(self, widget, key) -> None:
        from PyQt6.QtTest import QTest

        QTest.keyClick(widget, key)
        self.settle()
