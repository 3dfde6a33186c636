"""A raw file from the file dialog to the desk, and developed again; a HEIC photo."""

from unittest import mock

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from lather.core.imageio.development import Development
from lather.desktop.opening.developing import DevelopDialog
from tests.core.test_extras import smooth
from tests.support.pictures import plate
from tests.support.raw_files import dng, half_linear
from tests.support.window_case import WindowCase


class RawInTheWindowTest(WindowCase):
    def raw(self, name: str = "portrait.dng", linear=None):
        path = self.folder / name
        path.write_bytes(dng(smooth() if linear is None else linear))
        return path

    def dialog(self) -> DevelopDialog:
        self.pump(0.05)
        dialog = self.window.findChild(DevelopDialog)
        self.wait(dialog.idle)
        return dialog

    def open_developed(self, dialog) -> None:
        before = self.window.job
        QTest.mouseClick(dialog.open_button, Qt.MouseButton.LeftButton)
        self.wait(lambda: self.window.job is not before, 60)
        self.settle()

    def test_it_is_developed_as_asked_and_opens_with_its_sheet(self):
        self.assertTrue(self.window.open_path(self.raw()))
        dialog = self.dialog()
        bright = dialog.picture.pixmap().toImage().pixelColor(260, 200).lightness()
        dialog.exposure.set_value(-1.5, tell=True)
        self.wait(dialog.idle)
        self.assertLess(dialog.picture.pixmap().toImage().pixelColor(260, 200).lightness(), bright - 20)
        self.assertIn("Nothing is clipped", dialog.said.text())
        self.assertEqual(dialog.development, Development(-1.5))  # the light was not touched
        dialog.kelvin.set_value(5000, tell=True)
        self.assertEqual(dialog.development.kelvin, 5000)
        dialog.as_measured.click()
        self.assertEqual(dialog.development, Development())
        dialog.exposure.set_value(0.5, tell=True)
        self.open_developed(dialog)
        self.assertIs(self.window.screen, self.window.screens["brief"])
        job = self.window.job
        self.assertEqual(Development.of(job.job.brief["development"]), Development(0.5))
        self.assertEqual(job.session.photo.picture.bits, 16)
        self.assertIn("portrait", self.window.header.title.text())

    def test_a_touch_on_the_photo_takes_it_as_neutral(self):
        self.window.open_path(self.raw(linear=np.full((60, 80, 3), 0.3)))
        dialog = self.dialog()
        dialog.kelvin.set_value(3600, tell=True)
        self.wait(dialog.idle)

        def seen():
            colour = dialog.picture.pixmap().toImage().pixelColor(260, 200)
            return colour.red() - colour.blue()

        self.assertLess(seen(), -20)
        QTest.mouseClick(dialog.picture, Qt.MouseButton.LeftButton, pos=dialog.picture.rect().center())
        self.wait(dialog.idle)
        self.assertLess(abs(seen()), 3)
        self.assertGreater(dialog.development.kelvin, 5000)
        QTest.mouseClick(dialog.cancel, Qt.MouseButton.LeftButton)
        self.pump()

    def test_given_up_nothing_is_opened_and_what_cannot_be_read_is_said(self):
        self.window.open_path(self.raw())
        dialog = self.dialog()
        QTest.mouseClick(dialog.cancel, Qt.MouseButton.LeftButton)
        self.pump()
        self.assertIsNone(self.window.job)
        broken = self.folder / "broken.dng"
        broken.write_bytes(self.raw("whole.dng").read_bytes()[:3000])
        with mock.patch.dict("sys.modules", {"rawpy": None}):
            self.assertFalse(self.window.open_path(self.folder / "whole.dng"))
            self.assertIn("needs an extra", self.window.notice.text())

    def test_the_whole_retouch_is_played_on_another_development(self):
        path = self.raw(linear=half_linear(plate().photo))
        self.window.open_path(path)
        self.open_developed(self.dialog())
        self.window.show_screen("desk")
        self.settle()
        self.canvas.zoom_to(1.0)
        self.settle()
        x, y = self.window.job.session.photo.width / 2, self.window.job.session.photo.height / 2
        self.canvas.centre_on(x, y, 1.0)
        self.settle()
        self.click(x, y)
        self.assertEqual(self.window.job.job.edit_count, 1)
        self.window.job.save(self.folder / "a.lather")
        self.wait(lambda: self.window.job.saved, 60)
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            self.window.header.developed_asked.emit()
        dialog = self.dialog()
        dialog.exposure.set_value(0.5, tell=True)
        self.open_developed(dialog)
        job = self.window.job
        self.assertEqual(Development.of(job.job.brief["development"]), Development(0.5))
        self.assertEqual(job.job.edit_count, 1)
        self.assertIsNone(job.session.job_file)
