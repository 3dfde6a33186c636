"""The message line moves nothing; a mend stays in sight; undo says and shows what it did; names are typed in peace."""

import numpy as np
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.tools.registry import TOOLS
from lather.desktop.canvas.pointer import tag_place
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.keys import settings_folder
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

SPOTS = ((120, 120), (220, 180), (320, 240), (1500, 1300))


def spotted() -> np.ndarray:
    pixels = skin_like(1600, 1800)
    for x, y in SPOTS:
        pixels[y - 5 : y + 5, x - 5 : x + 5] = (pixels[y - 5 : y + 5, x - 5 : x + 5] * 0.8).astype(np.uint16)
    return pixels


class StepsCase(WindowCase):
    def setUp(self):
        super().setUp()
        session = session_of(spotted())
        places = enumerate((float(x), float(y)) for x, y in SPOTS)
        finds = tuple(Find(f"s{i}", "blemish_dark", x, y, 10.0, 9.0 - i, 0.9) for i, (x, y) in places)
        session.history.amend(SetFinds(finds, None))
        self.take(session)
        self.canvas.zoom_to(1.0)
        self.settle()

    @property
    def found(self):
        return self.desk.found

    def error_at(self, number: int) -> float:
        """How much darker a spot is than the skin beside it, of what is on the screen."""
        x, y = SPOTS[number]
        return float(np.mean(self.shown(x + 14, y))) - float(np.mean(self.shown(x, y)))


class MessageLineTest(StepsCase):
    def test_a_message_moves_nothing_and_a_stroke_right_after_it_lands_under_the_pointer(self):
        self.desk.brush_strip.choose("carry")
        self.pump(0.05)
        widgets = {w: (w.geometry(), w.mapToGlobal(w.rect().topLeft())) for w in (
            self.canvas, self.desk.left, self.desk.right, self.desk.course, self.desk.brush_strip, self.desk.messages)}
        with self.hold(Qt.Key.Key_A):
            self.click(400, 300)
        self.assertIn("Source taken", self.window.notice.text())
        self.mouse(QEvent.Type.MouseButtonPress, 260, 210)
        self.mouse(QEvent.Type.MouseButtonRelease, 260, 210, down=False)
        self.settle()
        np.testing.assert_allclose(self.job.layer.edits[-1].points[0, :2], (260, 210), atol=0.51)
        for text in ("short", "a long sentence that goes on and on " * 9):
            self.window.say(text, stays=True)
            self.pump(0.05)
            for widget, place in widgets.items():
                self.assertEqual((widget.geometry(), widget.mapToGlobal(widget.rect().topLeft())), place)
        self.window.notice.clear()
        self.pump(0.05)
        for widget, place in widgets.items():
            self.assertEqual((widget.geometry(), widget.mapToGlobal(widget.rect().topLeft())), place)

    def test_a_message_goes_by_itself_a_problem_stays_until_it_is_clicked(self):
        line = self.desk.messages
        self.window.say("Something small.")
        self.assertEqual(line.text(), "Something small.")
        self.assertTrue(line._timer.isActive())
        self.window.warn("Something went wrong.")
        self.assertFalse(line._timer.isActive())
        self.window.show_screen("review")
        self.assertEqual(self.window.notice.text(), "Something went wrong.")  # it goes along until it is read
        self.window.show_screen("desk")
        QTest.mouseClick(line, Qt.MouseButton.LeftButton)
        self.assertEqual(line.message, "")
        self.assertNotEqual(line.text(), "")  # what to do next

    def test_tags_stay_inside_the_view(self):
        for x, y in ((0, 0), (790, 5), (795, 598), (-40, 300)):
            for right in (False, True):
                left, middle = tag_place(x, y, 220, 800, 600, right=right)
                self.assertTrue(left >= 0 and left + 220 <= 800 and 12 <= middle <= 588)


class LingeringTest(StepsCase):
    def test_a_mend_is_seen_before_the_next_find_comes(self):
        QTest.keyClick(self.canvas, Qt.Key.Key_W)
        self.settle()
        before = self.error_at(0)
        self.assertGreater(before, 15)
        QTest.keyClick(self.canvas, Qt.Key.Key_E)
        self.wait(lambda: self.job.job.find_state(self.found.finds[0]) == "mended" and self.canvas.ready())
        self.assertEqual(self.found.current.id, "s0")
        self.assertTrue(self.found.mending.lingering)
        self.assertLess(self.error_at(0), before / 3)
        self.wait(lambda: self.found.current.id == "s1", 3)  # by itself: one key for each find
        self.assertFalse(self.found.mending.lingering)

    def test_any_key_goes_on_at_once_and_is_no_decision_on_what_was_not_seen(self):
        for key in (Qt.Key.Key_E, Qt.Key.Key_R, Qt.Key.Key_T, Qt.Key.Key_W):
            self.found.choose(next(f for f in self.found.finds if self.job.job.find_state(f) == "open"))
            QTest.keyClick(self.canvas, Qt.Key.Key_E)
            self.assertTrue(self.found.mending.lingering)
            if key != Qt.Key.Key_W:
                self.wait(lambda: self.found.mending._now is None)
            now = self.found.current.id
            QTest.keyClick(self.canvas, key)
            self.assertNotEqual(self.found.current.id, now)
            self.assertIn(self.found.states()[self.found.current.id], ("open", "mended"))
            self.rest()
        self.assertEqual(self.job.job.decisions, {})

    def test_its_time_is_a_setting(self):
        file = settings_folder() / "settings.json"
        file.parent.mkdir(parents=True, exist_ok=True)
        self.addCleanup(file.unlink)
        for text, least, most in (('{"linger_s": 0}', 0, 0.3), ('{"linger_s": "x"}', 0.6, 3)):
            file.write_text(text)
            self.found.choose(next(f for f in self.found.finds if self.job.job.find_state(f) == "open"))
            QTest.keyClick(self.canvas, Qt.Key.Key_E)
            self.wait(lambda: self.found.mending._now is None)
            waiting = self.found.mending.linger.remainingTime() / 1000
            self.assertTrue(least <= max(0, waiting) <= most, waiting)
            self.rest()

    def test_f_and_z_act_on_the_last_mend_and_bring_it_into_view(self):
        self.found.choose(self.found.finds[0])
        QTest.keyClick(self.canvas, Qt.Key.Key_E)
        self.rest()
        first = self.job.layer.edits[0].offset
        self.canvas.centre_on(1500, 1300, 1.0)
        self.settle()
        self.key(Qt.Key.Key_F)
        self.wait(lambda: self.job.layer.edits[0].offset != first)
        seen = self.canvas.view.visible(self.canvas.picture)
        self.assertTrue(seen.x0 < 120 < seen.x1 and seen.y0 < 120 < seen.y1)
        self.canvas.centre_on(1500, 1300, 1.0)
        self.settle()
        self.key(Qt.Key.Key_Z)
        self.assertIn("Undone: change dab", self.window.notice.text())
        seen = self.canvas.view.visible(self.canvas.picture)
        self.assertTrue(seen.x0 < 120 < seen.x1 and seen.y0 < 120 < seen.y1)

    def test_q_goes_back_through_what_was_mended(self):
        QTest.keyClick(self.canvas, Qt.Key.Key_W)
        for number in range(2):
            QTest.keyClick(self.canvas, Qt.Key.Key_E)
            self.wait(lambda n=number: self.found.current.id == f"s{n + 1}" and not self.found.mending.lingering, 5)
        self.key(Qt.Key.Key_Q)
        self.assertEqual(self.found.current.id, "s1")
        self.assertEqual(self.found.states()["s1"], "mended")
        self.key(Qt.Key.Key_Q)
        self.assertEqual(self.found.current.id, "s0")

    def test_the_label_goes_when_a_find_is_mended(self):
        find = self.found.finds[0]
        self.found.choose(find)
        self.settle()
        places = [(find.x + 30 + 4 * n, find.y - 8) for n in range(20)]
        self.assertLess(min(np.mean(self.shown(*place)) for place in places), 60)  # a dark tag
        QTest.keyClick(self.canvas, Qt.Key.Key_E)
        self.rest()
        self.found.choose(find)
        self.settle()
        self.assertGreater(min(np.mean(self.shown(*place)) for place in places), 110)

    def test_w_during_the_search_says_that_it_is_still_running(self):
        self.job.amend(SetFinds((), None))
        self.found.looking.show_progress(0.0, "")
        self.found.looking.show_progress(0.4, "spots")
        self.key(Qt.Key.Key_W)
        self.assertIn("Still looking at the photo (40 %)", self.window.notice.text())
        self.found.looking.end("")


class HistoryTest(StepsCase):
    def test_undo_and_redo_name_what_they_changed_in_whatever_stage(self):
        self.click(1500, 1300)
        self.canvas.centre_on(200, 200, 1.0)
        self.job.choose_stage("grain")
        self.settle()
        self.key(Qt.Key.Key_Z)
        self.assertEqual(self.window.notice.text(), "Undone: dab on “Spots” in Mend.")
        self.assertEqual(self.job.stage_id, "mend")
        seen = self.canvas.view.visible(self.canvas.picture)
        self.assertTrue(seen.x0 < 1500 < seen.x1)
        self.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ShiftModifier)
        self.assertIn("Redone: dab", self.window.notice.text())
        self.assertEqual(len(self.job.layer.edits), 1)
        self.found.choose(self.found.finds[1])
        self.key(Qt.Key.Key_R)
        self.key(Qt.Key.Key_Z)
        self.assertIn("Undone: keep find (dark spot)", self.window.notice.text())
        self.key(Qt.Key.Key_Z)
        self.key(Qt.Key.Key_Z)
        self.assertIn("nothing to undo", self.window.notice.text())

    def test_undoing_a_new_layer_gives_the_one_before_and_it_is_named_at_once(self):
        self.desk.layers.add_button.click()
        self.pump()
        self.desk.layers.rows[0].edit.setText("Second")
        QTest.keyClick(self.desk.layers.rows[0].edit, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual([x.name for x in self.job.stage.layers], ["Spots", "Second"])
        first = self.job.stage.layers[0].id
        self.job.choose_layer(first)
        self.desk.layers.add_button.click()
        self.pump()
        edit = next(row.edit for row in self.desk.layers.rows if row.edit.isVisible())
        self.assertTrue(edit.hasFocus())
        for letter in "Ez1 t":
            QTest.keyClick(edit, letter)
        QTest.keyClick(edit, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.job.stage.layers), 3)  # nothing typed was a command
        self.assertEqual(self.job.stage_id, "mend")
        QTest.keyClick(edit, Qt.Key.Key_Escape)
        self.pump()
        self.assertEqual(self.job.layer.name, "Layer 3")
        self.key(Qt.Key.Key_Z)
        self.assertEqual(self.job.layer.id, first)

    def test_f2_and_a_double_click_rename(self):
        self.key(Qt.Key.Key_F2)
        row = self.desk.layers.rows[0]
        self.assertTrue(row.edit.hasFocus())
        QTest.keyClicks(row.edit, "Chin")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.pump()
        self.assertEqual(self.job.layer.name, "Chin")
        QTest.mouseDClick(self.desk.layers.rows[0].name, Qt.MouseButton.LeftButton)
        self.assertTrue(self.desk.layers.rows[0].edit.isVisible())
        QTest.keyClick(self.desk.layers.rows[0].edit, Qt.Key.Key_Escape)

    def test_a_key_alone_is_a_command_only_on_the_photo_or_a_list(self):
        for widget in (self.desk.finds.kind, self.desk.finds.all, self.desk.brush_strip.size):
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            self.pump()
            self.assertTrue(widget.hasFocus(), widget)
            QTest.keyClick(widget, Qt.Key.Key_8)
            self.assertEqual(self.job.stage_id, "mend")
        for widget in (self.canvas, self.desk.finds.list):
            self.job.choose_stage("mend")
            widget.setFocus()
            self.pump()
            QTest.keyClick(widget, Qt.Key.Key_2)
            self.assertEqual(self.job.stage_id, "strands")
        self.job.choose_stage("mend")
        self.settle()
        QTest.mouseClick(self.desk.brush_strip.tools["carry"], Qt.MouseButton.LeftButton)
        self.assertTrue(self.canvas.hasFocus() or self.desk.finds.list.hasFocus())  # a click leaves the keys


class KeepersTest(StepsCase):
    gauges = True

    def test_a_keeper_painted_over_counts_as_lost(self):
        mole = Find("mole", "mole", 250.0, 200.0, 10.0, 9.0, 0.9, keeper=True)
        freckle = Find("freckle", "freckle", 420.0, 300.0, 8.0, 6.0, 0.9, keeper=True)
        pixels = spotted()
        for f in (mole, freckle):
            x, y = int(f.x), int(f.y)
            pixels[y - 4 : y + 4, x - 4 : x + 4] = (pixels[y - 4 : y + 4, x - 4 : x + 4] * 0.6).astype(np.uint16)
        session = session_of(pixels)
        session.history.amend(SetFinds((mole, freckle), None))
        self.take(session)
        self.desk.brush_strip.size.set_value(30, tell=True)
        self.click(250, 200)
        self.rest()
        self.assertEqual(self.desk.restraint.keepers.text(), "1 of 2 · low")
        self.assertEqual(len(self.job.job.keepers()), 2)


class ScreensTest(StepsCase):
    def test_keys_for_the_screens_and_escape_back(self):
        control = Qt.KeyboardModifier.ControlModifier
        for key, screen in ((Qt.Key.Key_B, "brief"), (Qt.Key.Key_R, "review"), (Qt.Key.Key_E, "deliver"),
                            (Qt.Key.Key_L, "logbook"), (Qt.Key.Key_D, "desk")):
            QTest.keyClick(self.window.screen, key, control)
            self.assertIs(self.window.screen, self.window.screens[screen])
        for screen in ("brief", "review", "deliver", "logbook"):
            self.window.show_screen(screen)
            QTest.keyClick(self.window.screen, Qt.Key.Key_Escape)
            self.assertIs(self.window.screen, self.window.screens["desk"])
        self.window.show_screen("deliver")
        name = self.window.screens["deliver"].findChildren(QLineEdit)[0]
        name.setFocus()
        QTest.keyClick(name, Qt.Key.Key_Escape)
        QTest.keyClick(self.window.screen, Qt.Key.Key_Escape)
        self.assertIs(self.window.screen, self.window.screens["desk"])
        self.window.close_job()
        self.window.show_start()
        QTest.keyClick(self.window, Qt.Key.Key_Q, control)
        self.assertFalse(self.window.isVisible())

    def test_a_dab_outside_a_fence_says_so(self):
        self.desk.areas.draw.click()
        self.drag([(200, 100), (300, 100), (300, 300), (200, 300), (200, 110)])
        self.click(500, 200)
        self.assertIn("Outside the fence", self.window.notice.text())
        self.assertEqual(len(self.job.layer.edits), 0)
        self.click(250, 200)
        self.assertEqual(len(self.job.layer.edits), 1)

    def test_the_start_brush_follows_the_face(self):
        state = BrushState()
        state.fit_to_face(200)
        self.assertLess(state.brushes["dab"].size_px, TOOLS["dab"].brush.size_px / 2)
        state.fit_to_face(2400)
        self.assertGreater(state.brushes["dab"].size_px, 2 * TOOLS["dab"].brush.size_px)
        state.change(size_px=50)
        state.fit_to_face(400)
        self.assertEqual(state.brushes["dab"].size_px, 50)  # what was set by hand stays

    def test_the_key_sheet_has_room_for_every_key(self):
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            with self.hold(Qt.Key.Key_H):
                self.pump(0.05)
                sheet = self.window.key_sheet
                sheet.grab()
                self.assertGreater(len(sheet.boxes), 40)
                for number, (box, text) in enumerate(sheet.boxes):
                    self.assertTrue(box.left() >= 0 and box.right() <= sheet.width(), text)
                    self.assertTrue(box.top() >= 0 and box.bottom() <= sheet.height(), text)
                    for other, name in sheet.boxes[number + 1 :]:
                        self.assertFalse(box.intersects(other), f"{text} / {name} at {size}")

    def test_opening_a_damaged_file_shows_the_window_with_the_reason(self):
        self.window.close_job()
        self.window.show_start()
        bad = self.folder / "bad.lather"
        bad.write_bytes(b"PK\x03\x04 nonsense")
        self.assertFalse(self.window.open_path(bad))
        self.assertTrue(self.window.isVisible())
        self.assertIn("damaged", self.window.notice.text())
        self.assertTrue(self.window.notice.stays)
