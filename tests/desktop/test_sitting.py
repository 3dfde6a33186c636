"""A sitting in the window: opened as a folder, a frame finished, carried over by a click, looks dealt with by key."""

import atexit
import functools
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.job.commands import SetBrief, SetFinds
from lather.core.job.finds import Find
from lather.core.session import Session
from lather.core.sitting.carry_report import KEEPER, UNSURE, Carried, Look
from lather.core.sitting.sitting import CARRIED, FINISHED, PHOTO
from lather.core.sitting.sitting_file import open_sitting
from lather.desktop.opening import replaying
from lather.desktop.sitting.control import KEEP, MEND
from tests.core.test_sitting import finished, frames
from tests.support.window_case import WindowCase


@functools.cache
def made_folder() -> Path:
    """Three photos, and the first one's job."""
    held = tempfile.TemporaryDirectory()
    atexit.register(held.cleanup)
    folder = Path(held.name)
    for name, (codes, *_) in zip(("f1", "f2", "f3"), frames()):
        write_picture(folder / f"{name}.png", codes, profile=srgb_profile())
    return folder


class SittingCase(WindowCase):
    def open(self, names=("f1", "f3")):
        for name in names:
            shutil.copy(made_folder() / f"{name}.png", self.folder)
        self.assertTrue(self.window.open_path(self.folder))
        self.room = self.window.screens["sitting"]
        self.control = self.window.sitting
        self.wait(self.room.idle, 120)

    def frame(self, name: str):
        return self.control.sitting.frame(name)

    def press(self, button) -> None:
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.pump()

    def key(self, key) -> None:
        QTest.keyClick(self.room, key)
        self.wait(self.room.idle, 60)

    def say_carried(self, *looks: Look, session: Session | None = None) -> None:
        """f3 as carried, with looks; its job is a session of f3."""
        session = session or Session.from_photo(self.folder / "f3.png")
        session.save(self.control.job_file("f3.png"))
        told = Carried("f1.png", {"mend": (2, 2)}, {}, (1, 1), looks)
        frame = replace(self.frame("f3.png"), state=CARRIED, carried=told)
        self.control.sitting = self.control.sitting.with_frame(frame)
        self.control.choose("f3.png")
        self.wait(self.room.idle, 60)


class WholeWayTest(SittingCase):
    def test_from_the_folder_to_carried_frames_that_are_alike(self):
        self.open()
        self.assertEqual(len({f.person for f in self.control.sitting.frames}), 1)
        self.assertEqual(list(self.room.strip.cards), ["f1.png", "f3.png"])
        self.assertEqual(self.room.main.text(), "Retouch f1")
        session, _ = finished()
        job = Session.from_photo(self.folder / "f1.png")
        own = replace(session.job, source=job.photo.source)
        done = Session(job.photo, type(job.history)(own), photo_path=job.photo_path)
        done.save(self.control.job_file("f1.png"))
        self.press(self.room.main)  # its job is opened, not the bare photo
        self.assertEqual(self.job.job.edit_count, session.job.edit_count)
        self.settle()
        QTest.keyClick(self.canvas, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
        self.room = self.window.screen
        self.assertIs(self.room, self.window.screens["sitting"])
        self.assertEqual(self.room.main.text(), "f1 is finished")
        self.press(self.room.main)
        self.wait(self.room.idle, 60)
        self.assertEqual(self.frame("f1.png").state, FINISHED)
        self.assertEqual(self.room.main.text(), "Carry f1 over to 1")
        self.press(self.room.main)
        self.assertTrue(self.control.carrying)
        self.assertTrue(self.room.stop.isVisible())
        self.assertFalse(self.room.main.isEnabled())
        self.wait(self.room.idle, 180)
        frame = self.frame("f3.png")
        self.assertEqual(frame.state, CARRIED)
        self.assertGreaterEqual(frame.carried.count[0], 0.85 * frame.carried.count[1])
        self.assertIn("Carried over to 1 of 1 frames", self.window.notice.message)
        self.assertIn("2 of 2", self.room.light.said)
        self.press(self.room.strip.cards["f3.png"])
        self.wait(self.room.idle, 60)
        shown = self.room.view.grab().toImage()
        self.assertEqual(self.room.carried_said.text().split(" ·")[0],
                         "{} of {} edits".format(*frame.carried.count))
        kept = open_sitting([self.folder])  # all of it is on the disk already
        self.assertEqual(kept.frame("f3.png").state, CARRIED)
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(self.folder / "sheet"), "")):
            self.press(self.room.sheet)
        self.wait(self.room.idle, 60)
        self.assertGreater(read_picture(self.folder / "sheet.png").pixels.std(), 5)
        self.press(self.room.back)
        self.wait(self.room.idle, 60)
        self.assertEqual(self.frame("f3.png").state, PHOTO)
        self.assertTrue((self.folder / "lather" / "f3.lather~taken-back").is_file())
        self.assertNotEqual(self.room.view.grab().toImage(), shown)


class LooksTest(SittingCase):
    def test_looks_are_stepped_through_and_answered_by_key_and_by_click(self):
        self.open(("f3",))
        mole, spot = (next(f for f in frames()[2][2] if f.keeper == keeper) for keeper in (True, False))
        found = [Find(name, kind, f.x, f.y, f.size_px, 8.0, 0.9, "cheek, left", kind == "mole") for name, kind, f in
                 (("m", "mole", mole), ("s", "blemish_dark", spot))]
        session = Session.from_photo(self.folder / "f3.png")
        session.history.amend(SetFinds(tuple(found), None))
        looks = [Look(KEEPER, "Mole, cheek", "40 % alike", mole.x, mole.y, mole.size_px, "m", (10, 10, 5), 0.4),
                 Look(UNSURE, "Dark spot, cheek", "50 % alike", spot.x, spot.y, spot.size_px, "s", (10, 10, 5), 0.5),
                 Look(UNSURE, "Lift, even", "nothing here tells where it belongs")]
        self.say_carried(*looks, session=session)
        self.assertEqual(len(self.room.rows), 3)
        self.assertEqual(set(self.room.rows[2].buttons), {"leave"})
        self.assertEqual(self.room.strip.cards["f3.png"].state, "3 to look at")
        self.key(Qt.Key.Key_W)
        self.assertEqual(self.room.current, 1)
        at = self.room.view.place(mole.x, mole.y).toPoint()
        QTest.mouseClick(self.room.view, Qt.MouseButton.LeftButton, pos=QPoint(at))
        self.assertEqual(self.room.current, 0)
        self.control.deal_with("f3.png", 1, MEND)  # faster than it is done: the second waits for the first
        QTest.keyClick(self.room, Qt.Key.Key_R)
        self.wait(self.room.idle, 60)
        self.assertEqual(Session.open(self.control.sitting.job("f3.png")).job.decisions, {"m": "keep"})
        kept = Session.open(self.control.sitting.job("f3.png"))
        self.assertEqual([edit.find for edit in kept.job.edits()], ["s"])
        x, y = int(spot.x), int(spot.y)
        part = np.s_[y - 2 : y + 3, x - 2 : x + 3]
        before = kept.photo.read(kept.photo.bounds)[part].mean()
        self.assertGreater(kept.engine.pixels(kept.job, kept.photo.bounds)[part].mean(), before + 0.01)
        self.press(self.room.rows[0].buttons["leave"])
        self.wait(self.room.idle, 60)
        self.assertEqual(self.frame("f3.png").looks_left, [])
        self.assertIn("Nothing left to look at", self.room._list.itemAt(0).widget().text())
        self.control.deal_with("f3.png", 1, KEEP)  # what was mended is taken away again
        self.wait(self.room.idle, 60)
        self.assertEqual(Session.open(self.control.sitting.job("f3.png")).job.edit_count, 0)
        self.control.deal_with("f3.png", 0, MEND)  # and a mark that was kept may go, if somebody says so
        self.wait(self.room.idle, 60)
        self.assertEqual([e.find for e in Session.open(self.control.sitting.job("f3.png")).job.edits()], ["m"])

    def test_a_person_is_named_and_a_folder_without_photos_says_so(self):
        self.open(("f3",))
        with mock.patch.object(QInputDialog, "getText", return_value=("Made Up", True)):
            self.press(self.room.name_button)
        self.assertEqual(self.room.who.text(), "Made Up")
        self.assertEqual(open_sitting([self.folder]).persons[0].name, "Made Up")
        shutil.copy(self.folder / "f3.png", self.folder / "f4.png")
        self.window.open_path(self.folder)
        self.wait(self.room.idle, 60)
        Session.from_photo(self.folder / "f4.png").save(self.control.job_file("f4.png"))  # begun by hand
        done = Session.from_photo(self.folder / "f3.png")
        self.control.take_finished("f3.png", done)
        self.wait(self.room.idle, 60)
        self.assertEqual(self.frame("f4.png").person, self.frame("f3.png").person)
        self.assertEqual(self.room.targets, [])  # is not written over
        empty = self.folder / "empty"
        empty.mkdir()
        self.assertFalse(self.window.open_path(empty))
        self.assertIn("There are no photos", self.window.notice.message)


class DevelopedAgainTest(WindowCase):
    def test_the_photo_developed_again_takes_the_whole_retouch(self):
        session, _ = finished()
        other = self.folder / "warmer.png"
        lighter = np.clip(session.photo.picture.pixels.astype(float) * (1.06, 1.04, 1.0), 0, 65535)
        write_picture(other, lighter.astype(np.uint16), profile=srgb_profile())
        self.take(Session(session.photo, type(session.history)(session.job)))
        self.job.do(SetBrief("title", "Twice"))
        asked = self.answer("Leave without saving")
        replaying.play_on(self.window, other)
        self.wait(lambda: self.job.session.photo.name == "warmer.png", 120)
        self.settle()
        self.assertEqual(len(asked), 1)
        self.assertEqual((self.job.job.title, self.job.job.edit_count), ("Twice", session.job.edit_count))
        self.assertIn(f"{session.job.edit_count} of {session.job.edit_count} edits were carried over",
                      self.window.notice.message)
