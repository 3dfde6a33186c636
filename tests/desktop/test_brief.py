"""The job sheet in the window: first after a new photo, changed by hand, its plan; a client's answer dropped on it."""

import json
import os
from unittest import mock

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.colour import profiles
from lather.core.imageio.write import write_picture
from lather.core.job.brief import JobSheet, clock_text
from lather.core.job.commands import SetBrief, SetFinds
from lather.core.job.finds import Find
from tests.support.browser import Browser, wait_for_file
from tests.support.faces import made_face
from tests.support.pictures import skin_like
from tests.support.window_case import WindowCase

KINDS = ("blemish_dark", "blemish_red", "crease", "mole", "scar", "blotch_dark", "stray_hair", "shine")


def listed_session(face):
    session = face.session()
    finds = tuple(Find(f"f{n}", kind, 470.0 + 22 * n, 560.0 + 9 * n, 15.0 + n, 9.0, 0.9, "cheek", keeper=kind == "mole")
                  for n, kind in enumerate(KINDS))
    session.history.amend(SetFinds(finds, face.measures.face, ()))
    return session


class BriefCase(WindowCase):
    def setUp(self):
        super().setUp()
        self.face = made_face()
        self.take_measured(listed_session(self.face), self.face.measures)
        self.desk.measured.ready.emit()
        self.window.show_screen("brief")
        self.brief = self.window.screens["brief"]
        self.wait(lambda: self.window.planning.plan is not None and self.brief.idle())
        self.pump(0.1)

    @property
    def plan(self):
        return self.window.planning.plan

    def type_in(self, field, text: str) -> None:
        """As a person does: click, all of it away, type, Enter."""
        field.setFocus()
        field.selectAll()
        QTest.keyClick(field, Qt.Key.Key_Backspace)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        self.pump(0.03)


class WideTest(BriefCase):
    def test_a_wide_window_shows_all_at_once_and_a_narrow_one_as_before(self):
        self.assertFalse(self.brief.facts.isVisible())
        self.window.resize(1920, 1080)
        self.pump(0.1)
        for view in (self.brief.table, self.brief.facts, self.brief.limits):
            self.assertTrue(view.isVisible())
        self.assertGreater(self.brief.canvas.width(), 600)
        self.assertFalse(self.brief.views.isVisible())
        self.window.resize(1280, 800)
        self.pump(0.1)
        self.assertTrue(self.brief.table.isVisible() and self.brief.views.isVisible())
        QTest.mouseClick(self.brief.views.button("limits"), Qt.MouseButton.LeftButton)
        self.assertTrue(self.brief.limits.isVisible())
        self.assertFalse(self.brief.facts.isVisible())


class SheetTest(BriefCase):
    def test_the_sheet_is_filled_in_by_hand_and_the_plan_follows(self):
        form = self.brief.form
        self.type_in(form.title, "Wren, cards")
        self.type_in(form.client, "Alder")
        self.type_in(form.minutes, "10")
        self.type_in(form.rate, "48")
        self.type_in(form.price, "twelve")  # no number: as it was
        form.kind.button("beauty").click()
        form.route.button("bands").click()
        form.chips["lasting_marks"].choose("go")
        sheet = JobSheet.of(self.job.job.brief)
        self.assertEqual((sheet.title, sheet.client), ("Wren, cards", "Alder"))
        self.assertEqual((sheet.kind, sheet.route), ("beauty", "bands"))
        self.assertEqual((sheet.minutes_allowed, sheet.rate_cents, sheet.price_cents), (10.0, 4800, None))
        self.assertEqual(self.job.job.find_state(self.job.job.finds[3]), "open")
        self.assertTrue(self.plan.row("split").do)
        self.assertFalse(self.plan.row("even").do)
        self.assertIn(clock_text(self.plan.seconds), self.brief.sum.text())
        self.assertIn("EUR", self.brief.sum.text())
        shown = [row.minutes.text() for row in self.brief.table.rows.values() if ":" in row.minutes.text()]
        seconds = sum(60 * int(text.split(":")[0]) + int(text.split(":")[1]) for text in shown)
        self.assertEqual(seconds, self.plan.seconds)  # what is on the screen adds up
        for _ in range(5):
            self.window._step_in_history(forward=False)
        self.assertEqual(JobSheet.of(self.job.job.brief).client, "Alder")

    def test_a_value_written_over_says_so_and_can_be_taken_back(self):
        row = self.brief.table.rows["mend"]
        proposed = self.plan.row("mend").seconds
        self.type_in(row.minutes, "7:30")
        self.assertEqual(self.plan.row("mend").seconds, 450)
        self.assertIn("•", row.minutes.text())
        self.assertIn(clock_text(proposed), row.minutes.toolTip())
        self.type_in(row.minutes, "")
        self.assertEqual((self.plan.row("mend").seconds, self.plan.row("mend").overridden), (proposed, ()))
        row.switch.click()
        self.assertEqual((self.plan.row("mend").do, self.plan.row("mend").seconds), (False, 0))
        row.switch.click()
        self.assertEqual(self.plan.row("mend").overridden, ())
        self.type_in(row.start, "33")
        self.assertEqual(self.plan.row("mend").start[1], 33)
        QTest.mouseClick(self.brief.desk_button, Qt.MouseButton.LeftButton)
        self.assertIs(self.window.screen, self.desk)
        self.assertEqual(self.desk.state.brushes["dab"].size_px, 33)

    def test_what_is_least_seen_is_left_out_in_one_step_until_the_plan_fits(self):
        self.assertFalse(self.brief.leave.isVisible())
        allowed = self.plan.seconds / 60 * 0.6
        self.type_in(self.brief.form.minutes, f"{allowed:.1f}")
        self.assertGreater(self.plan.needed, 0)
        self.assertIn("over", self.brief.first_out.text())
        before = self.job.job
        self.brief.leave.click()
        self.assertEqual(self.plan.missing_seconds, 0)
        self.assertFalse(self.brief.leave.isVisible())
        self.window._step_in_history(forward=False)
        self.assertEqual(self.job.job.decisions, before.decisions)
        self.assertGreater(self.plan.needed, 0)

    def test_outputs_are_added_changed_and_taken_off_and_decide_what_shows(self):
        form = self.brief.form
        form.preset.setCurrentText("Web")
        form.preset.activated.emit(form.preset.currentIndex())
        self.assertEqual(len(form.output_chips), 2)
        made = form.open_output(0)
        made.edge.setValue(60)
        QTest.keyClicks(made.name, "!")
        made.close()
        other = form.open_output(1)
        other.remove.click()
        self.pump(0.05)
        self.assertEqual([spec.long_edge_px for spec in JobSheet.of(self.job.job.brief).outputs], [60])
        self.assertEqual(self.plan.shown, 0)  # nothing of 15 px is seen on 60
        self.assertFalse(any(find.worth for find in self.job.job.finds))
        made = form.open_output(0)
        made.size.button("cm").click()
        made.close()
        self.pump(0.05)
        self.assertGreater(self.plan.shown, 4)
        self.assertIn("20 × 25 cm", form.output_chips[0].text())

    def test_measured_facts_and_limits_with_their_reasons_stand_beside(self):
        self.brief.views.button("facts").click()
        self.assertIs(self.brief.stack.currentWidget(), self.brief.facts)
        rows = {what.strip(): (value, means) for what, value, means in self.brief.facts.rows}
        self.assertIn(f"{self.face.measures.face.width_px:.0f} px", rows["Face"][0])
        self.assertEqual(rows["Dark spot"][0], "1")
        self.brief.views.button("limits").click()
        usual = {what: band for what, band, _ in self.brief.limits.rows}
        self.brief.form.kind.button("identity-true").click()
        strict = {what: band for what, band, _ in self.brief.limits.rows}
        self.assertNotEqual(usual["Skin texture kept"], strict["Skin texture kept"])
        self.assertTrue(all(why for _, _, why in self.brief.limits.rows))
        self.assertIn("identity document", self.brief.caution.text())

    def test_a_point_of_the_face_is_dragged_right_there(self):
        canvas = self.brief.canvas
        self.wait(canvas.ready)
        x, y = self.job.job.face_map.points["chin"]
        with mock.patch.object(self.brief.looking, "start") as looked:
            at = self.at(x, y, canvas)
            QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
            end = self.at(x + 30, y + 20, canvas)
            QTest.mouseMove(canvas, end.toPoint())
            QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end.toPoint())
            self.pump(0.05)
        moved = self.job.job.face_map.points["chin"]
        self.assertLess(np.hypot(moved[0] - x - 30, moved[1] - y - 20), 5)
        self.assertTrue(self.job.job.face_map.by_person or looked.called)

    def test_a_child_brings_its_own_questions(self):
        self.assertFalse(self.brief.form.chips["guardian"].isVisible())
        self.brief.form.kind.button("newborn/child").click()
        self.assertTrue(self.brief.form.chips["guardian"].isVisible())
        self.assertFalse(self.plan.row("shape").do)
        self.assertIn("guardians", self.brief.caution.text())


class NewPhotoTest(WindowCase):
    def test_a_new_photo_begins_with_its_sheet_and_enter_skips_it(self):
        path = self.folder / "photo.png"
        write_picture(path, skin_like(200, 300), profile=profiles.srgb_profile())
        self.window.open_path(path)
        self.assertIs(self.window.screen, self.window.screens["brief"])
        QTest.keyClick(self.window.screen, Qt.Key.Key_Return)
        self.assertIs(self.window.screen, self.desk)
        saved = self.folder / "photo.lather"
        self.job.do(SetBrief("title", "Kept"))
        self.window._save_to(saved)
        self.wait(lambda: not self.job.saving)
        self.window.open_path(saved)
        self.assertIs(self.window.screen, self.desk)  # a job that was begun goes on
        self.assertEqual(self.window.header.title.text(), "Kept")


class AnswerTest(BriefCase):
    def drop(self, path) -> None:
        """A file dropped on the window."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        at = QPointF(300, 300)
        for kind in (QDragEnterEvent, QDropEvent):
            place = at.toPoint() if kind is QDragEnterEvent else at
            event = kind(place, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                         Qt.KeyboardModifier.NoModifier)
            QApplication.sendEvent(self.window, event)
        self.pump(0.05)

    def test_a_proof_sheet_is_answered_in_a_real_browser_and_dropped_on_the_window(self):
        with mock.patch.dict(os.environ, {"LATHER_OUTBOX": str(self.folder / "outbox")}):
            self.brief.form.ask.click()
            self.wait(lambda: "in the outbox" in self.window.notice.text())
        (sheet,) = (self.folder / "outbox").glob("*.html")
        downloads = self.folder / "downloads"
        downloads.mkdir()
        browser = Browser(self, downloads)
        browser.open(sheet)
        self.assertEqual(browser.run("return document.querySelectorAll('.find').length"), 2)
        browser.run("document.getElementById('slider').value = 20;"
                    "document.getElementById('slider').dispatchEvent(new Event('input'))")
        self.assertIn("20%", browser.run("return document.getElementById('after').style.clipPath"))
        box = browser.run("const b = document.getElementById('picture').getBoundingClientRect();"
                          "return [b.left, b.top, b.width, b.height]")
        line = round(box[0] + 0.2 * box[2]), round(box[1] + 0.3 * box[3])
        browser.pointer([line, (line[0] + 60, line[1]), (round(box[0] + 0.8 * box[2]), line[1])])
        self.assertGreater(float(browser.run("return document.getElementById('slider').value")), 70)
        browser.click("input[data-find='f3'][value=remove]")  # the mole may go
        place = round(box[0] + 0.5 * box[2]), round(box[1] + 0.25 * box[3])
        browser.pointer([place])
        browser.type("#remarks textarea", "the shine here, please")
        browser.type("#general", "lovely")
        browser.type("#name", "Ms Alder")
        browser.click("input[data-agreed=teeth][value=no]")
        browser.click("#save")
        answer = wait_for_file(downloads, "*.json")
        self.drop(answer)
        job = self.job.job
        finds = {find.id: find for find in job.finds}
        self.assertEqual(job.find_state(finds["f3"]), "open")
        self.assertEqual(job.find_state(finds["f4"]), "keep")  # the scar stays
        self.assertIn(finds["f4"], job.keepers())
        self.assertEqual(job.brief["agreed"]["teeth"], "no")
        first, second = JobSheet.of(job.brief).remarks
        self.assertEqual((first.text, first.who, second.text), ("the shine here, please", "Ms Alder", "lovely"))
        self.assertLess(abs(first.x - 0.5 * job.source.width), 6)
        self.assertLess(abs(first.y - 0.25 * job.source.height), 6)
        self.assertIn("answer is taken in", self.window.notice.text())
        # pinned on the photo, where it can be read
        canvas = self.brief.canvas
        before = canvas.grab().toImage()
        at = self.at(first.x, first.y, canvas).toPoint()
        self.assertTrue(before.pixelColor(at.x() - 6, at.y()).red() > before.pixelColor(at.x() - 6, at.y()).blue())
        self.window._step_in_history(forward=False)
        self.assertEqual(JobSheet.of(self.job.job.brief).remarks, ())

    def test_another_jobs_answer_changes_nothing_and_says_so(self):
        path = self.folder / "answer.json"
        path.write_text(json.dumps({"lather_answer": 1, "job": "other", "sheet": "s", "title": "Pip"}))
        before = self.job.job
        self.drop(path)
        self.assertIs(self.job.job, before)
        self.assertIn("Pip", self.window.notice.text())
