"""Work that was not saved is offered wherever its file is opened; of two windows on one job none drops the other's."""

import os
from unittest import mock

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.job.commands import SetLayer
from lather.core.journal.journal import leftovers
from lather.core.practice.demo import demo_folder, demo_job_path
from lather.core.session import Session
from lather.desktop.opening.open_job import OpenJob
from tests.support.folder_case import small_disk
from tests.support.pictures import skin_like
from tests.support.remembered import place_demo
from tests.support.window_case import WindowCase


class RecoveryCase(WindowCase):
    def setUp(self):
        super().setUp()
        self.photo = self.folder / "photo.png"
        write_picture(self.photo, skin_like(400, 400), profile=srgb_profile())
        self.path = self.folder / "job.lather"
        Session.from_photo(self.photo).save(self.path)
        for leftover in leftovers():
            leftover.discard()

    def work_and_crash(self, path) -> np.ndarray:
        """One mend that only the journal holds; what the picture looked like."""
        self.window.open_path(path)
        self.settle()
        self.click(200, 200)
        pixels = self.whole()
        self.window.close_job(keep_journal=True)
        self.pump()
        return pixels


class LeftoverTest(RecoveryCase):
    def test_a_job_or_photo_with_steps_left_offers_them_wherever_it_is_opened(self):
        for path in (self.path, self.photo):
            pixels = self.work_and_crash(path)
            asked = self.answer("Bring them back")
            self.assertTrue(self.window.open_path(path))
            self.settle()
            self.assertIn("1 step made after the last save", asked[0])
            np.testing.assert_array_equal(self.whole(), pixels)
            self.assertFalse(self.job.saved)
            self.assertNotIn("Saved", self.window.header.state.text())
            self.assertEqual(leftovers(), [])
            self.window.close_job()

    def test_not_now_keeps_them_and_discard_does_not(self):
        self.work_and_crash(self.path)
        self.answer("Open as it was saved")
        self.window.open_path(self.path)
        self.settle()
        self.assertEqual(sum(1 for _ in self.job.job.edits()), 0)
        self.assertEqual(len(leftovers()), 1)
        self.window.close_job()
        self.answer("Cancel")
        self.assertFalse(self.window.open_path(self.path))
        self.answer("Discard them")
        self.assertTrue(self.window.open_path(self.path))
        self.assertEqual(leftovers(), [])

    def test_over_a_newer_save_they_become_a_job_of_their_own(self):
        self.work_and_crash(self.path)
        newer = Session.from_job_file(self.path)
        newer.history.do(SetLayer("mend", newer.job.stage("mend").layers[0].id, "strength", 0.5))
        newer.save(self.path)
        whole = self.path.read_bytes()
        self.answer("Bring them back")
        self.window.open_path(self.path)
        self.settle()
        self.assertEqual(sum(1 for _ in self.job.job.edits()), 1)
        self.assertIsNone(self.job.session.job_file)
        self.assertIn("saved again", self.window.notice.text())
        self.assertEqual(self.path.read_bytes(), whole)

    def test_the_demo_stays_as_it_is_after_a_recovery(self):
        demo = place_demo()
        self.assertEqual(demo, demo_job_path())
        pristine = demo.read_bytes()
        self.work_and_crash(demo)
        self.answer("Bring them back")
        self.window.open_path(demo)
        self.settle()
        self.assertIsNone(self.job.session.job_file)
        chosen = str(self.folder / "mine.lather")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(chosen, "")) as asked:
            self.window.save()
        self.wait(lambda: not self.job.saving)
        self.assertNotIn(str(demo_folder()), asked.call_args.args[2])
        self.assertEqual(demo.read_bytes(), pristine)

    def test_a_state_folder_that_cannot_be_written_is_told(self):
        blocked = self.folder / "blocked"
        blocked.write_text("a file")
        with mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(blocked)}):
            self.window.open_path(self.path)
            self.settle()
            self.assertIn("journal cannot be written", self.window.notice.text())
            self.assertTrue(self.window.notice.stays)
            self.click(200, 200)
            self.assertEqual(self.window.header.state.text(), "Not saved, no journal")
        self.window.job.save(self.path)
        self.wait(lambda: self.job.saved)


class TwoWindowsTest(RecoveryCase):
    def second_window_saves(self) -> None:
        other = OpenJob(Session.open(self.path), self.window)
        other.do(SetLayer("mend", other.layer.id, "strength", 0.25))
        other.save(self.path)
        self.wait(lambda: other.saved)
        other.close()

    def test_the_second_save_asks_and_neither_is_lost(self):
        self.window.open_path(self.path)
        self.settle()
        self.second_window_saves()
        theirs = self.path.read_bytes()
        self.click(200, 200)
        asked = self.answer("Cancel")
        self.window.save()
        self.wait(lambda: asked)
        self.assertIn("saved by another window", asked[0])
        self.assertEqual(self.path.read_bytes(), theirs)
        self.assertFalse(self.job.saved)
        another = str(self.folder / "another.lather")
        asked = self.answer("Save under another name")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(another, "")):
            self.window.save()
            self.wait(lambda: self.job.saved)
        self.assertEqual(self.path.read_bytes(), theirs)
        self.assertEqual(sum(1 for _ in Session.open(another).job.edits()), 1)

    def test_replacing_it_knowingly_keeps_theirs_beside_it(self):
        self.window.open_path(self.path)
        self.settle()
        self.second_window_saves()
        theirs = self.path.read_bytes()
        self.click(200, 200)
        self.answer("Replace it")
        self.window.save()
        self.wait(lambda: self.job.saved)
        self.assertEqual((self.folder / "job.lather~1").read_bytes(), theirs)
        self.click(150, 150)
        self.window.save()  # its own save is no other
        self.wait(lambda: self.job.saved)

    def test_a_new_job_does_not_replace_one_that_is_there_unasked(self):
        there = self.folder / "photo.lather"
        there.write_bytes(self.path.read_bytes())
        self.window.open_path(self.photo)
        self.settle()
        self.click(200, 200)
        asked = self.answer("Cancel")
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(there), "")):
            self.window.save()
            self.wait(lambda: asked)
        self.assertIn("is there already", asked[0])
        self.assertEqual(there.read_bytes(), self.path.read_bytes())

    def test_a_photo_that_changed_on_disk_is_told_and_kept_as_it_was(self):
        self.window.open_path(self.photo)
        self.settle()
        self.click(200, 200)
        before = self.photo.read_bytes()
        write_picture(self.photo, skin_like(400, 400, seed=9), profile=srgb_profile())
        self.window.job.save(self.folder / "new.lather")
        self.wait(lambda: self.job.saved)
        self.assertIn("has changed on disk", self.window.notice.text())
        self.assertEqual(Session.open(self.folder / "new.lather").photo.file_bytes, before)

    def test_no_dialog_writes_over_the_photo(self):
        self.window.open_path(self.photo)
        self.settle()
        self.click(200, 200)
        whole = self.photo.read_bytes()
        link = self.folder / "link.lather"
        link.symlink_to(self.photo)
        self.window.job.save(link, knowingly=True)
        self.wait(lambda: not self.job.saving)
        self.assertIn("photo itself", self.window.notice.text())
        self.assertEqual(self.photo.read_bytes(), whole)
        self.assertTrue(link.is_symlink())


class FullDiskTest(RecoveryCase):
    def test_a_save_onto_a_full_disk_keeps_the_old_copies_and_the_work(self):
        disk = small_disk(self, self.folder, "3m")
        path = disk / "job.lather"
        Session.from_photo(self.photo).save(path)
        self.window.open_path(path)
        self.settle()
        self.click(200, 200)
        self.window.save()
        self.wait(lambda: self.job.saved)
        kept = {p.name: p.read_bytes() for p in disk.iterdir()}
        self.assertEqual(sorted(kept), ["job.lather", "job.lather~1"])
        (disk / "ballast").write_bytes(bytes(os.statvfs(disk).f_bavail * os.statvfs(disk).f_frsize))
        self.click(150, 250)
        self.window.save()
        self.wait(lambda: not self.job.saving)
        self.assertIn("No space", self.window.notice.text())
        self.assertEqual({p.name: p.read_bytes() for p in disk.iterdir() if p.name != "ballast"}, kept)
        self.assertFalse(self.job.saved)
        (disk / "ballast").unlink()
        self.window.save()
        self.wait(lambda: self.job.saved)
