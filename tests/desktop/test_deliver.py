"""Deliver in the window: several outputs, taken names, soft proof, sheet and report, and what the logbook keeps."""

import io
from contextlib import closing
from unittest import mock

from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from lather.core.colour import paper, profiles
from lather.core.deliver.presets import presets, presets_file
from lather.core.deliver.read_back import still_as_delivered
from lather.core.imageio.read import read_picture
from lather.core.job.commands import SetBrief
from lather.core.job.outputs import OutputSpec
from lather.core.record.logbook import Logbook
from lather.desktop.delivery import state_mark
from tests.desktop.test_brief import listed_session
from tests.support.faces import made_face
from tests.support.window_case import WindowCase

SPECS = (
    OutputSpec("a", "Print, card", size="cm", width_cm=8, height_cm=10, ppi=150, medium="matte", format="TIFF", bits=16,
               profile="paper"),
    OutputSpec("b", "Web", size="px", long_edge_px=500), OutputSpec("c", "Mobile", False, size="px", long_edge_px=300),
    OutputSpec("d", "Layers", format="OpenRaster", profile="own"),
)


class DeliverTest(WindowCase):
    def setUp(self):
        super().setUp()
        face = made_face()
        session = listed_session(face)
        for key, value in (("title", "Wren"), ("rate_cents", 4800), ("outputs", [one.to_json() for one in SPECS])):
            session.history.do(SetBrief(key, value))
        self.take_measured(session, face.measures)
        self.desk.measured.ready.emit()
        self.wait(lambda: self.window.planning.plan is not None)
        self.click(500, 600)  # something is done
        self.window.show_screen("deliver")
        self.screen = self.window.screens["deliver"]
        self.screen.folder.setText(str(self.folder))
        self.wait(lambda: self.screen.proof.view.ready and self.screen.idle())

    def press_deliver(self) -> None:
        QTest.mouseClick(self.screen.deliver, Qt.MouseButton.LeftButton)
        self.wait(lambda: not self.screen.runner.running, 60)
        self.pump(0.05)

    def entry(self):
        self.window.records.wait()
        with closing(Logbook()) as book:
            return next(entry for entry in book.entries() if entry.job_id == self.job.job.id)

    def test_all_outputs_at_once_with_sheet_and_report_and_what_is_kept_of_them(self):
        self.press_deliver()
        states = {row.spec.name: row.words.text() for row in self.screen.rows}
        self.assertEqual(states, {"Print, card": "Read back, equal", "Web": "Read back, equal", "Mobile": "off",
                                  "Layers": "Read back, equal"})
        with Image.open(self.folder / "wren-print-card-8x10.tif") as image:
            self.assertEqual(image.info["icc_profile"], paper.paper_profile())
        self.assertEqual(read_picture(self.folder / "wren-web-500.jpg").pixels.shape[0], 500)
        self.assertFalse((self.folder / "wren-mobile-300.jpg").exists())
        self.assertTrue(self.screen.sheet.is_written and self.screen.report.is_written)
        self.assertTrue((self.folder / "wren-sheet.pdf").read_bytes().startswith(b"%PDF"))
        self.assertTrue((self.folder / "wren-report.pdf").read_bytes().startswith(b"%PDF"))
        self.assertIn("wren-web-500.jpg", (self.folder / "wren-report.html").read_text())
        entry = self.entry()
        self.assertEqual(len(entry.deliveries), 3)
        self.assertTrue(all(still_as_delivered(self.folder / note.path, note.sha256) for note in entry.deliveries))
        self.assertEqual(entry.price_cents, self.window.planning.plan.cost_cents)
        self.assertEqual(entry.planned_s, self.window.planning.plan.seconds)
        self.assertIn("texture_kept", {note.gauge for note in entry.gauges})
        # a change afterwards makes it another picture
        self.window.show_screen("desk")
        self.click(560, 640)
        self.window.show_screen("deliver")
        self.assertEqual(self.screen.row("Web").words.text(), "Name is taken")

    def test_a_taken_name_waits_for_an_answer_while_the_others_are_delivered(self):
        taken = self.folder / "wren-web-500.jpg"
        taken.write_bytes(b"mine")
        for card in (self.screen.sheet, self.screen.report):
            card.switch.click()
        self.screen._refresh()
        row = self.screen.row("Web")
        self.assertTrue(row.replace.isVisible() and row.number.isVisible())
        self.press_deliver()
        self.assertEqual((row.state, taken.read_bytes()), (state_mark.ASKS, b"mine"))
        self.assertIn("1 needs an answer", self.screen.state.text())
        row.number.click()
        self.wait(lambda: row.is_done, 60)
        self.assertEqual(row.file.text(), "wren-web-500-2.jpg")
        self.assertEqual(taken.read_bytes(), b"mine")
        self.screen._put(row.spec.with_format("PNG"))
        other = self.folder / "wren-web-500.png"
        other.write_bytes(b"old")
        self.screen._refresh()
        self.screen.row("Web").replace.click()
        self.wait(lambda: self.screen.row("Web").is_done, 60)
        self.assertEqual(read_picture(other).pixels.shape[0], 500)

    def test_soft_proof_shows_the_paper_and_hatches_what_it_cannot_hold(self):
        view, panel = self.screen.proof.view, self.screen.proof
        plain = view.grab().toImage()
        panel.modes.button("proof").click()
        self.wait(lambda: panel.idle())
        self.assertIn("Matte paper", view.accessibleName())
        self.assertNotEqual(view.grab().toImage(), plain)
        self.assertGreater(panel.proof.largest, 0.5)
        self.screen._take("b")
        self.wait(panel.idle)
        self.assertLess(panel.proof.largest, 0.5)  # sRGB holds all of it
        panel.modes.button("photo").click()
        self.wait(panel.idle)
        self.assertIn("as it came", view.accessibleName())

    def test_a_pattern_names_all_rows_at_once_and_a_wrong_one_says_why(self):
        self.screen.pattern.setText("{photo}_{output}")
        self.assertEqual(self.screen.row("Web").file.text(), "photo_web.jpg")
        self.screen.pattern.setText("{nonsense}")
        self.assertIn("There is no field", self.screen.state.text())
        self.assertFalse(self.screen.deliver.isEnabled())
        self.screen.pattern.setText("same")
        names = [row.file.text() for row in self.screen.rows]
        self.assertEqual(len(set(names)), len(names))  # two outputs never go into one file

    def test_an_output_is_changed_in_its_form_and_a_set_is_kept_by_name(self):
        form = self.screen.open_form(self.screen.row("Web"))
        form.format.button("PNG").click()
        form.bits.button("16").click()
        form.edge.setValue(444)
        self.assertEqual(self.screen.row("Web").pixels.text().split(" × ")[1], "444 px")
        form.format.button("JPEG").click()  # which holds 8 bits
        self.assertEqual(form.spec.bits, 8)
        icc = self.folder / "own.icc"
        icc.write_bytes(profiles.srgb_profile())
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(icc), "")):
            form.profile.button("file").click()
        self.assertEqual(form.spec.profile, str(icc))
        form.close()
        self.screen.keep_as("Mine")
        self.assertEqual(presets(presets_file())["Mine"], self.screen.specs)
        self.assertEqual(self.screen.preset.currentText(), "Mine")

    def test_a_profile_that_is_none_fails_alone(self):
        (self.folder / "no.icc").write_bytes(b"rubbish")
        broken = OutputSpec("x", "Broken", format="PNG", profile=str(self.folder / "no.icc"))
        self.screen._set([broken, SPECS[1]])
        for card in (self.screen.sheet, self.screen.report):
            card.switch.setChecked(False)
        self.press_deliver()
        self.assertEqual([row.state for row in self.screen.rows], [state_mark.FAILED, state_mark.DONE])
        self.assertIn("no RGB colour profile", self.window.notice.text())

    def test_a_childs_picture_is_not_delivered_without_consent(self):
        self.job.do(SetBrief("kind", "newborn/child"))
        asked = self.answer("Do not deliver")
        self.press_deliver()
        self.assertIn("consent", asked[0])
        self.assertEqual(list(self.folder.glob("*.jpg")), [])
        self.answer("They have consented, in writing")
        for card in (self.screen.sheet, self.screen.report):
            card.switch.setChecked(False)
        self.press_deliver()
        self.assertTrue((self.folder / "wren-web-500.jpg").exists())
        self.assertEqual(self.job.job.brief["agreed"]["guardian"], "yes")

    def test_what_is_over_its_limit_is_told_once_with_the_way_to_review(self):
        screen = self.screen
        for card in (screen.sheet, screen.report):
            card.switch.setChecked(False)
        self.window.judging._take(self.job.job, {"repeats": 3.0, "texture_kept": 96.0})
        asked = self.answer("Look in Review")
        self.press_deliver()
        self.assertIn("repeats 3", asked[0])
        self.assertNotIn("texture", asked[0])
        self.assertIs(self.window.screen, self.window.screens["review"])
        self.assertEqual(list(self.folder.iterdir()), [])
        self.window.show_screen("deliver")
        self.press_deliver()
        self.assertTrue((self.folder / "wren-web-500.jpg").exists())
        self.assertIn("repeats", {note.gauge for note in self.entry().gauges})

    def test_what_was_measured_only_afterwards_is_told_then(self):
        self.assertEqual(self.window.judging.over_now, [])
        self.screen.asking.tell_measured(self.job.job.stages, {"repeats": 2.0})
        self.assertIn("Delivered, and over the limit: repeats", self.screen.messages.text())
        self.assertIn("Ctrl+R", self.screen.messages.text())

    def test_metadata_go_along_as_chosen(self):
        self.assertFalse(self.screen.names.location.isEnabled())  # the photo holds no place
        path = self.folder / "wren-web-500.jpg"
        for card in (self.screen.sheet, self.screen.report):
            card.switch.setChecked(False)
        self.press_deliver()
        with Image.open(io.BytesIO(path.read_bytes())) as image:
            self.assertNotIn(34853, image.getexif())
