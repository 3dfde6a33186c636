"""The practice room in the window: a lesson done by pen, its score, what is shown of it, and what is kept."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.core.practice.outcome import GONE, LEFT, SMEARED
from lather.desktop.input.pen_stand_in import PenStandIn, recorded_strokes
from lather.desktop.practice.open_lesson import begin_lesson
from tests.support.sets import for_release
from tests.support.smearing import take_full_veil
from tests.support.window_case import WindowCase


class PracticeTest(WindowCase):
    def begin(self, seed: int = 4):
        self.lesson = begin_lesson(1, seed, sitter="pip", many=0.4)
        self.window.open_lesson(self.lesson)
        self.settle()
        self.pen = PenStandIn(self.canvas, lambda: not self.desk.control.painting and self.desk.control.worker.idle())

    def dab(self, flaw, size: float) -> None:
        self.canvas.centre_on(flaw.x, flaw.y, 1.0)
        self.desk.brush_strip.size.set_value(size, tell=True)
        self.wait(self.canvas.ready)
        self.pen.play([[(flaw.x, flaw.y, 1.0)]])
        self.wait(lambda: not self.pen.playing and not self.desk.control.painting
                  and self.desk.control.worker.idle())

    def score(self):
        self.window.show_screen("practice")
        room = self.window.screens["practice"]
        QTest.mouseClick(room.score_button, Qt.MouseButton.LeftButton)
        self.wait(lambda: self.lesson.score is not None, 60)
        return room, self.lesson.score

    def test_a_lesson_by_pen_is_scored_shown_played_again_and_kept(self):
        self.begin()
        for flaw in self.lesson.plate.flaws:
            if not flaw.keeper:
                self.dab(flaw, 1.5 * flaw.size_px + 5)
        strokes = recorded_strokes(self.job.job)
        self.assertEqual(len(strokes), sum(not flaw.keeper for flaw in self.lesson.plate.flaws))
        room, score = self.score()
        self.assertGreaterEqual(score.score, 95, dict(score.points))
        self.assertEqual(score.count(LEFT) + score.count(SMEARED), 0)
        self.wait(lambda: self.lesson.score.automatic is not None and room.idle(), 90)
        self.assertGreater(self.lesson.score.automatic, 60)
        self.wait(room.idle)
        self.assertEqual([row[:2] for row in room._history], [(1, score.score)])
        self.assertIn(f"{score.score:.0f}", room.list.item(0).text())

        self.wait(room.canvas.ready)
        room.marks.button("none").click()
        bare = self.grabbed(room)
        room.marks.button("all").click()
        self.assertGreater(np.abs(self.grabbed(room) - bare).max(), 40)  # the marks
        room.marks.button("none").click()
        room.replay.setValue(0)
        self.wait(room.canvas.ready)
        given = self.grabbed(room)
        self.assertGreater(np.abs(given - bare).max(), 10)
        QTest.mouseClick(room.play, Qt.MouseButton.LeftButton)
        self.wait(lambda: room.play.text() == "Play" and room.canvas.ready(), 30)
        np.testing.assert_array_equal(self.grabbed(room), bare)
        room.on_picture.button("truth").click()
        self.assertGreater(np.abs(self.grabbed(room) - given).max(), 10)

    def test_a_mixture_of_ones_own_is_ticked_and_opens_on_the_desk(self):
        self.window.show_screen("practice")
        room = self.window.screens["practice"]
        self.assertFalse(room.kinds.isVisible())
        room.list.setCurrentRow(room.list.count() - 1)
        self.assertTrue(room.kinds.isVisible())
        QTest.mouseClick(room.begin, Qt.MouseButton.LeftButton)
        self.wait(room.idle)
        self.assertIn("at least one kind", self.window.notice.text())
        row = next(n for n in range(room.kinds.count()) if room.kinds.item(n).text() == "Mole")
        room.kinds.item(row).setCheckState(Qt.CheckState.Checked)
        room.many.button("few").click()
        QTest.mouseClick(room.begin, Qt.MouseButton.LeftButton)
        self.wait(lambda: self.window.job is not None, 60)
        self.settle()
        lesson = self.window.screens["practice"].lesson
        self.assertEqual([flaw.kind for flaw in lesson.plate.flaws], ["mole", "mole"])

    @for_release
    def test_an_idle_hand_scores_nothing_and_is_told_what_is_left(self):
        self.begin()
        room, score = self.score()
        self.assertEqual(score.score, 0)
        self.assertEqual(score.count(GONE), 0)
        self.assertIn("left; most seen", room.hints.text())

    def test_a_smearing_hand_scores_little(self):
        self.begin()
        QTest.keyClick(self.canvas, Qt.Key.Key_3)
        self.settle()
        take_full_veil(self.desk)
        self.canvas.fit()
        self.wait(self.canvas.ready)
        low, high = (np.percentile([(f.x, f.y) for f in self.lesson.plate.flaws], at, axis=0) for at in (0, 100))
        rows = np.arange(low[1], high[1] + 150, 150)
        self.pen.play([[(x, y, 1.0) for x in np.linspace(low[0] - 80, high[0] + 80, 6)] for y in rows])
        self.wait(lambda: not self.pen.playing and not self.desk.control.painting
                  and self.desk.control.worker.idle(), 60)
        _, score = self.score()
        self.assertLess(score.score, 40, dict(score.points))

    def grabbed(self, room) -> np.ndarray:
        image = room.canvas.grab().toImage()
        data = image.constBits()
        data.setsize(image.sizeInBytes())
        return np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), -1)[..., :3].astype(int)
