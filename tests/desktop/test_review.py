"""Review in the window: every way to compare, a gauge over its limit with its map and way back, notes, fresh eyes."""

from contextlib import closing

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief, SetLayer
from lather.core.job.outputs import OutputSpec
from lather.core.record.logbook import Logbook
from tests.core.test_restraint import veiled
from tests.support.faces import made_face
from tests.support.window_case import WindowCase


class ReviewCase(WindowCase):
    def setUp(self):
        super().setUp()
        self.face = made_face()
        session = self.face.session()
        self.layer = veiled(session, self.face.measures)
        self.take_measured(session, self.face.measures)
        self.window.show_screen("review")
        self.review = self.window.screens["review"]
        self.desk.measured.ready.emit()
        self.wait(self.review.canvas.ready)

    def picture(self) -> np.ndarray:
        self.wait(self.review.canvas.ready)
        image = self.review.canvas.grab().toImage()
        data = image.constBits()
        data.setsize(image.sizeInBytes())
        return np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), -1)[..., :3].astype(int)


class CompareTest(ReviewCase):
    def test_each_way_to_compare_shows_what_it_says(self):
        review = self.review
        review.modes.button("after").click()
        after = self.picture()
        QTest.mousePress(review.hold_button, Qt.MouseButton.LeftButton)
        before = self.picture()
        QTest.mouseRelease(review.hold_button, Qt.MouseButton.LeftButton)
        self.assertGreater(np.abs(after - before).max(), 10)
        np.testing.assert_array_equal(self.picture(), after)
        review.modes.button("difference").click()
        grey = self.picture()
        y, x = grey.shape[0] // 2, grey.shape[1] // 2
        middle = grey[y - 40 : y + 40, x - 40 : x + 40]
        self.assertLess(abs(middle.mean() - 127), 12)
        review.modes.button("side").click()
        self.assertEqual(review.canvas.mode, "side")
        review.modes.button("after").click()
        np.testing.assert_array_equal(self.picture(), after)

    def test_blink_takes_turns_at_the_chosen_pace_and_stops(self):
        review = self.review
        review.pace.set_value(200, tell=True)
        review.modes.button("blink").click()
        seen = set()
        for _ in range(30):
            self.pump(0.03)
            seen.add(review.canvas.mode)
        self.assertEqual(seen, {"after", "before"})
        review.modes.button("wipe").click()
        self.pump(0.5)
        self.assertEqual(review.canvas.mode, "wipe")

    def test_zooms_page_and_mirror(self):
        review = self.review
        self.job.do(SetBrief("outputs", [OutputSpec("a", "Web", size="px", long_edge_px=300).to_json()]))
        review.zoom.button("2").click()
        self.assertAlmostEqual(review.canvas.view.scale, 2.0)
        review.zoom.button("delivered").click()
        long_edge = max(self.job.session.photo.width, self.job.session.photo.height)
        self.assertAlmostEqual(review.canvas.view.scale, 300 / long_edge, places=3)
        self.assertGreater(self.picture()[5, 5].min(), 235)  # a neutral page
        review.zoom.button("fit").click()
        self.assertLess(self.picture()[2, 2].max(), 140)
        review.mirror.click()
        self.assertTrue(review.canvas.view.mirrored)

    def test_fresh_eyes_pick_without_knowing_and_the_log_keeps_it(self):
        for left in (True, False):
            self.review.fresh.click()
            self.assertEqual(self.review.canvas.mode, "unnamed")
            swapped = self.review.canvas.swapped
            self.review.picks[0 if left else 1].click()
            picked = "retouch" if left == swapped else "photo"
            self.assertIn(picked, self.window.notice.text())
            self.window.records.wait()
            with closing(Logbook()) as book:
                self.assertEqual(book.looks(self.job.job.id)[-1:], [picked])
        self.assertFalse(self.review.picks[0].isVisible())

    def test_the_tour_ticks_what_was_looked_at(self):
        self.review.tabs.button("tour").click()
        tours = self.review.tours
        self.assertGreater(tours.count(), 5)
        QTest.mouseClick(tours.viewport(), Qt.MouseButton.LeftButton, pos=tours.visualItemRect(tours.item(2)).center())
        self.assertIn("now", tours.item(2).text())
        QTest.mouseClick(tours.viewport(), Qt.MouseButton.LeftButton, pos=tours.visualItemRect(tours.item(0)).center())
        self.assertIn("seen", tours.item(2).text())

    def test_a_note_is_pinned_where_it_was_clicked_and_ticked_when_done(self):
        review = self.review
        review.modes.button("after").click()
        review.tabs.button("notes").click()
        review.notes.pin.click()
        review.canvas.navigation.panning = False
        at = self.at(300, 400, review.canvas)
        QTest.mousePress(review.canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
        QTest.keyClicks(review.notes.text, "softer here")
        QTest.keyClick(review.notes.text, Qt.Key.Key_Return)
        (remark,) = JobSheet.of(self.job.job.brief).remarks
        self.assertEqual(remark.text, "softer here")
        self.assertLess(abs(remark.x - 300) + abs(remark.y - 400), 6)
        review.notes.switches[0].click()
        self.assertTrue(JobSheet.of(self.job.job.brief).remarks[0].done)


class TooMuchTest(ReviewCase):
    gauges = True

    def test_a_gauge_over_its_limit_has_its_layer_its_map_and_its_way_back(self):
        review, judging = self.review, self.window.judging
        told = []
        judging.caused.connect(lambda name, causes: told.append((name, causes)))
        self.wait(lambda: judging.offer is not None, 60)
        self.assertEqual(dict(told), dict(judging.offer.causes))  # each as soon as it is known
        names = [card.one.gauge.id for card in review.cards]
        self.assertIn("texture_kept", names)
        self.assertTrue(any("Veil, skin (Split)" in card.causes.text() for card in review.cards))
        self.assertTrue(review.offer.isVisible())
        review.modes.button("after").click()
        plain = self.picture()
        card = next(card for card in review.cards if card.one.gauge.id == "texture_kept")
        QTest.mouseClick(card, Qt.MouseButton.LeftButton)
        self.wait(lambda: review._hatch is not None, 30)
        self.assertGreater((np.abs(self.picture() - plain).max(-1) > 20).mean(), 0.008)  # lines of the hatch
        review._take_map("texture_kept")
        QTest.mousePress(review.offer.preview, Qt.MouseButton.LeftButton)
        previewed = self.picture()
        QTest.mouseRelease(review.offer.preview, Qt.MouseButton.LeftButton)
        self.assertGreater(np.abs(previewed - plain).max(), 8)
        before = self.job.job
        QTest.mouseClick(review.offer.take, Qt.MouseButton.LeftButton)
        self.assertLess(self.job.job.stage("split").layer(self.layer.id).strength, 1.0)
        self.wait(lambda: judging.idle() and judging.values, 60)
        self.assertEqual(judging.over, [])
        self.assertFalse(review.offer.isVisible())
        self.assertGreaterEqual(len(judging.history["texture_kept"]), 2)
        self.window._step_in_history(forward=False)
        self.assertIs(self.job.job.stages, before.stages)

    def test_the_strip_names_the_worst_in_its_stage_and_values_are_never_older(self):
        judging = self.window.judging
        self.wait(lambda: bool(judging.values), 60)
        cell = self.desk.course.cells["split"]
        self.assertFalse(cell.over.isHidden())
        self.assertTrue(cell.over.toolTip().endswith(("low", "high")))
        self.assertIn(cell.over.text(), ("over", cell.over.toolTip()))
        self.job.do(SetLayer("split", self.layer.id, "on", False))
        self.job.do(SetLayer("split", self.layer.id, "on", True))
        self.job.do(SetLayer("split", self.layer.id, "on", False))
        self.wait(lambda: judging.idle() and not judging.over, 60)
        self.assertTrue(cell.over.isHidden())
        self.assertEqual(judging.values, {})  # nothing acts: nothing to tell

    def test_what_cannot_be_told_says_why(self):
        self.wait(lambda: bool(self.window.judging.values), 60)
        self.pump(0.1)
        row = self.review.rows["keepers_intact"]
        self.assertEqual(row.text(), "not told")
        self.assertIn("no marks are listed", row.toolTip())


