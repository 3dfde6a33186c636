"""The parts lamp on the desk: hatches, persons numbered and taken in hand, parts painted, drawn marks outlined."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.core.job.commands import SetFinds
from lather.core.lamps.registry import under_lamp
from lather.core.people.reading import people_of
from lather.core.session import Session
from tests.core.test_people import group
from tests.support.pictures import session_of
from tests.support.window_case import WindowCase


class PartsLampTest(WindowCase):
    def open_group(self) -> None:
        photo, _ = group()
        session: Session = session_of(photo.picture.pixels)
        faces = people_of(photo).faces
        session.history.do(SetFinds((), faces[0], faces[1:]))
        self.take(session)
        self.people = people_of(session.photo)
        self.desk.lamps.choose("parts")
        self.wait(lambda: self.desk.parts.people is not None)
        self.settle()

    def choose(self, wanted: str) -> None:
        box = self.desk.parts_panel.choice
        box.setCurrentIndex(box.findData(wanted))

    def test_hatches_tell_parts_apart_and_the_ground_is_bare(self):
        self.open_group()
        job, engine = self.job.job, self.job.session.engine
        plain = engine.pixels(job, self.canvas.picture)

        lit = engine.pixels(under_lamp(job, "parts", {}), self.canvas.picture)
        changed = np.abs(lit - plain).max(-1) > 0.01
        skin = self.people.share("skin", self.canvas.picture) > 0.95
        ground = self.people.share("ground", self.canvas.picture) > 0.98
        self.assertGreater(changed[skin].mean(), 0.05)
        self.assertLess(changed[skin].mean(), 0.4)  # hatches, no film
        self.assertLess(changed[ground].mean(), 0.03)
        self.assertTrue(self.desk.parts_panel.isVisible())
        self.assertIn("3", self.desk.parts_panel.count.text())
        self.key(Qt.Key.Key_V)
        self.assertFalse(self.desk.parts_panel.isVisible())

    def test_a_click_on_a_person_takes_them_in_hand(self):
        self.open_group()
        second = self.people.persons[1]
        self.click(*second.head.middle)
        self.assertTrue(self.job.job.face_map.holds(*second.head.middle))
        self.assertEqual(len(self.job.job.other_faces), 2)
        self.rest()
        self.assertIs(self.desk.parts.people, self.people)  # the others are known as before

    def test_a_part_is_painted_obeyed_and_taken_back(self):
        self.open_group()
        x, y = self.people.persons[0].head.middle
        self.choose("cloth")
        self.desk.parts_panel.width.set_value(30, tell=True)
        self.drag([(x - 40, y), (x - 20, y + 10), (x - 5, y + 20)])
        self.assertEqual([stroke.part for stroke in self.job.job.part_strokes], ["cloth"])
        self.wait(lambda: self.desk.parts.people is not self.people)
        self.assertEqual(self.desk.parts.people.at(x - 20, y + 10)[1], "cloth")
        self.rest()
        skin = self.desk.measured.measures.skin
        scale = self.desk.measured.measures.scale
        self.assertLess(float(skin[int((y + 10) / scale), int((x - 20) / scale)]), 0.4)
        self.assertTrue(self.desk.parts_panel.back.isVisible())
        QTest.mouseClick(self.desk.parts_panel.back, Qt.MouseButton.LeftButton)
        self.rest()
        self.assertEqual(self.job.job.part_strokes, ())
        self.assertFalse(self.desk.parts_panel.back.isVisible())

    def test_a_drawn_mark_is_outlined_and_stays(self):
        self.open_group()
        self.choose("drawn mark")
        self.drag([(300, 700), (360, 700), (360, 740), (300, 740), (300, 702)])
        marks = [find for find in self.job.job.finds if find.kind == "drawn_mark"]
        self.assertEqual(len(marks), 1)
        self.assertEqual(self.job.job.find_state(marks[0]), "keep")

    def test_while_the_lamp_is_lit_no_brush_touches_the_photo(self):
        self.open_group()
        self.click(*self.people.persons[0].head.middle)
        self.assertEqual(self.job.job.edit_count, 0)


if __name__ == "__main__":
    import unittest

    unittest.main()
