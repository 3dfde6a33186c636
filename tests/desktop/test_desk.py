"""The desk's tools, keys and panels, driven with real events on a small photo."""

import threading
from unittest import mock

import numpy as np
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QWidget

from lather.core.brush.stroke import rasterise
from lather.core.brush.values import Brush
from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.journal.journal import leftovers
from lather.desktop.canvas.display import DisplayConverter
from lather.desktop.opening import demo as opening_demo
from tests.support.pictures import session_of, skin_like
from tests.support.remembered import place_demo
from tests.support.window_case import WindowCase


def marked() -> np.ndarray:
    """Skin-like, with a blue square to take from."""
    pixels = skin_like(600, 800)
    pixels[100:160, 100:160] = (5000, 10000, 60000)
    return pixels


class DeskCase(WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(marked()))
        self.canvas.zoom_to(1.0)
        self.settle()
        self.photo = self.window.job.session.photo.read(self.canvas.picture)

    @property
    def layer(self):
        return self.window.job.layer


class ToolTest(DeskCase):
    def test_copy_lays_the_chosen_pixels_and_the_screen_shows_them(self):
        self.desk.brush_strip.choose("copy")
        self.desk.brush_strip.size.set_value(40, tell=True)
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.drag([(400, 300), (420, 300)])
        np.testing.assert_allclose(self.whole()[300, 410], self.photo[130, 140], atol=0.01)
        red, _, blue = self.shown(410, 300)
        self.assertGreater(blue, red + 100)

    def test_live_pixels_are_on_screen_before_the_pen_is_lifted(self):
        self.desk.brush_strip.choose("copy")
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.mouse(QEvent.Type.MouseMove, 400, 300, down=False)
        self.mouse(QEvent.Type.MouseButtonPress, 400, 300)
        self.mouse(QEvent.Type.MouseMove, 412, 300)
        self.wait(lambda: self.shown(408, 296)[2] > self.shown(408, 296)[0] + 60)
        self.assertEqual(len(self.layer.edits), 0)
        QTest.keyClick(self.canvas, Qt.Key.Key_Escape)
        self.settle()
        self.assertEqual(len(self.layer.edits), 0)
        self.mouse(QEvent.Type.MouseButtonRelease, 412, 300, down=False)
        self.mouse(QEvent.Type.MouseMove, 600, 500, down=False)  # the pointer itself shows the source
        self.pump()
        self.assertEqual(len(self.layer.edits), 0)
        self.assertLess(self.shown(408, 296)[2], self.shown(408, 296)[0])

    def test_only_darker_leaves_lighter_places_alone(self):
        strip = self.desk.brush_strip
        strip.choose("copy")
        strip.modes["copy"].button("lighter").click()
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.drag([(400, 300), (408, 300)])
        np.testing.assert_array_equal(self.whole()[290:310, 380:450], self.photo[290:310, 380:450])
        strip.modes["copy"].button("darker").click()
        self.drag([(400, 300), (408, 300)])
        self.assertGreater(np.abs(self.whole() - self.photo).max(), 0.2)

    def test_copy_of_the_tone_leaves_the_texture_where_it_can_be_left(self):
        strip = self.desk.brush_strip
        strip.choose("copy")
        strip.own_texture.click()
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.drag([(400, 300), (408, 300)])
        self.drag([(400, 360), (408, 360)], Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual([edit.own_texture for edit in self.layer.edits], [True, False])
        self.assertGreater(np.abs(self.whole()[300, 404] - self.photo[300, 404]).max(), 0.05)
        strip.choose("carry")
        self.assertFalse(strip.own_texture.isVisible())

    def test_fixed_source_starts_anew_and_aligned_goes_along(self):
        strip = self.desk.brush_strip
        strip.choose("copy")
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.click(400, 300)
        self.click(500, 350)
        strip.aligned.click()
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.click(400, 400)
        self.click(500, 450)
        self.assertEqual([e.offset for e in self.layer.edits],
                         [(-270, -170), (-270, -170), (-270, -270), (-370, -320)])

    def test_carry_without_a_source_says_what_to_do(self):
        self.desk.brush_strip.choose("carry")
        self.click(400, 300)
        self.assertEqual(len(self.layer.edits), 0)
        self.assertIn("Hold A", self.window.notice.text())

    def test_shift_gives_the_original_back(self):
        self.desk.brush_strip.choose("copy")
        with self.hold(Qt.Key.Key_A):
            self.click(130, 130)
        self.click(400, 300)
        self.drag([(392, 300), (408, 300), (392, 300)], Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(self.layer.edits[-1].tool, "give_back")
        np.testing.assert_allclose(self.whole()[300, 400], self.photo[300, 400], atol=0.02)

    def test_shift_gives_back_with_a_dab_in_hand_too(self):
        self.click(130, 100)  # the rim of the blue square
        self.assertGreater(np.abs(self.whole() - self.photo).max(), 0.05)
        self.desk.brush_strip.size.set_value(60, tell=True)
        self.click(130, 100, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual([e.tool for e in self.layer.edits], ["dab", "give_back"])
        np.testing.assert_allclose(self.whole(), self.photo, atol=1e-4)

    def test_a_layer_that_is_off_is_told_at_the_pointer(self):
        self.desk.layers.rows[0].switch.click()
        self.assertFalse(self.layer.on)
        self.assertIn("off", self.desk.control.would_do_nothing())
        self.assertEqual(self.desk.control.effective_strength(), 0)

    def test_pen_pressure_drives_size(self):
        strip = self.desk.brush_strip
        strip.choose("give_back")
        strip.size.set_value(80, tell=True)
        strip.pen_buttons["pressure_size"].click()
        self.pen_stroke([(300, 300, 0.25), (340, 300, 0.25)])
        self.pen_stroke([(300, 400, 1.0), (340, 400, 1.0)])
        reach = [rasterise(e.touches, self.canvas.picture, e.brush.edge).any(1).sum() for e in self.layer.edits]
        self.assertAlmostEqual(reach[0] / reach[1], 0.25, delta=0.05)


class ViewTest(DeskCase):
    def test_the_wheel_zooms_at_the_pointer_and_space_moves(self):
        at = QPointF(200, 150)
        before = self.canvas.source_at(at)
        event = QWheelEvent(at, self.canvas.mapToGlobal(at), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
                            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)
        QApplication.sendEvent(self.canvas, event)
        self.settle()
        self.assertGreater(self.canvas.view.scale, 1.1)
        np.testing.assert_allclose(self.canvas.source_at(at), before, atol=0.01)
        x = self.canvas.view.x
        with self.hold(Qt.Key.Key_Space):
            self.drag([(300, 300), (320, 300)])
        self.assertAlmostEqual(self.canvas.view.x, x - 20, delta=0.5)
        self.assertEqual(len(self.layer.edits), 0)

    def test_tab_held_shows_the_photo_as_it_came(self):
        self.window.job.do(AddEdits("mend", self.layer.id, (
            Stroke(new_id(), "copy", Brush(size_px=60), freeze_points([[400, 300, 1, 0]]), (-270, -170)),)))
        self.settle()
        self.assertGreater(self.shown(400, 300)[2], 180)
        with self.hold(Qt.Key.Key_Tab):
            self.settle()
            self.assertLess(self.shown(400, 300)[2], 160)
        self.settle()
        self.assertGreater(self.shown(400, 300)[2], 180)

    def test_every_zoom_shows_the_right_pixel(self):
        for scale in (0.3, 0.5, 1.0, 2.7, 8.0):
            self.canvas.centre_on(130, 130, scale)
            self.settle()
            self.assertGreater(self.shown(130, 130)[2], 200, scale)

    def test_s_and_d_drag_the_brush(self):
        self.desk.brush_strip.choose("carry")
        size = self.desk.state.brush.size_px
        self.mouse(QEvent.Type.MouseMove, 300, 300, down=False)
        with self.hold(Qt.Key.Key_S):
            self.mouse(QEvent.Type.MouseMove, 420, 300, down=False)
        self.assertAlmostEqual(self.desk.state.brush.size_px, 2 * size, delta=1)
        self.mouse(QEvent.Type.MouseMove, 300, 300, down=False)
        with self.hold(Qt.Key.Key_D):
            self.mouse(QEvent.Type.MouseMove, 240, 300, down=False)
        self.assertAlmostEqual(self.desk.state.brush.ceiling, 0.7, delta=0.02)
        self.assertEqual(self.desk.brush_strip.ceiling.text(), "70 %")

    def test_key_sheet_is_there_while_h_is_held(self):
        with self.hold(Qt.Key.Key_H):
            self.assertTrue(self.window.key_sheet.isVisible())
        self.assertFalse(self.window.key_sheet.isVisible())

    def test_review_wipes_between_photo_and_retouch(self):
        self.window.job.do(AddEdits("mend", self.layer.id, (
            Stroke(new_id(), "copy", Brush(size_px=90, edge=0), freeze_points([[400, 300, 1, 0]]), (-270, -170)),)))
        self.window.show_screen("review")
        canvas = self.window.screens["review"].canvas
        self.wait(canvas.ready)
        at = self.at(400, 300, canvas).toPoint()
        for wipe, is_blue in ((0.02, True), (0.98, False)):
            canvas.wipe = wipe
            colour = canvas.grab().toImage().pixelColor(at)
            self.assertEqual(colour.blue() > colour.red() + 60, is_blue)


class PanelTest(DeskCase):
    def test_layers_are_added_renamed_moved_and_removed(self):
        panel = self.desk.layers
        panel.add_button.click()
        self.assertEqual([x.name for x in self.window.job.stage.layers], ["Spots", "Layer 2"])
        row = panel.rows[0]
        row.start_renaming()
        row.edit.setText("Neck")
        QTest.keyClick(row.edit, Qt.Key.Key_Return)
        self.assertEqual(self.layer.name, "Neck")
        panel.down.click()
        self.assertEqual([x.name for x in self.window.job.stage.layers], ["Neck", "Spots"])
        panel.remove.click()
        self.assertEqual([x.name for x in self.window.job.stage.layers], ["Spots"])
        self.assertFalse(panel.remove.isEnabled())
        for _ in range(4):
            self.window.job.undo()
        self.assertEqual([x.name for x in self.window.job.stage.layers], ["Spots"])

    def test_a_mend_is_picked_from_the_list_and_taken_out(self):
        for x in (300, 500):
            self.click(x, 400)
        mends = self.desk.mends
        mends.list.setCurrentIndex(mends.list.model().index(1, 0))
        self.assertIs(self.desk.control.selected, self.layer.edits[0])
        mends.remove.click()
        self.assertEqual(len(self.layer.edits), 1)
        self.assertAlmostEqual(self.layer.edits[0].points[0, 0], 500, delta=1)

    def test_stage_switch_and_strength(self):
        self.click(400, 300)
        cell = self.desk.course.cells["mend"]
        self.assertEqual((cell.count.text(), cell.strength.text()), ("1 mend", "100 %"))
        self.desk.layers.stage_on.click()
        self.assertTrue(cell.title.font().strikeOut())
        self.assertEqual(cell.strength.text(), "off")
        self.assertFalse(self.window.job.stage.on)
        np.testing.assert_array_equal(self.whole(), self.photo)
        self.desk.layers.stage_on.click()
        self.desk.layers.stage_strength.set_value(30, tell=True)
        self.assertAlmostEqual(self.window.job.stage.strength, 0.3)

    def test_every_control_has_a_name_and_room_at_1280(self):
        for screen in ("desk", "review", "deliver"):
            self.window.show_screen(screen)
            self.pump()
            for widget in self.window.screens[screen].findChildren(QWidget):
                if not widget.isVisible():
                    continue
                if widget.focusPolicy() & Qt.FocusPolicy.TabFocus and not widget.accessibleName():
                    self.assertTrue(getattr(widget, "text", str)() or widget.toolTip(), widget)
                one_line = isinstance(widget, QPushButton) or (isinstance(widget, QLabel) and not widget.wordWrap())
                if one_line and widget.text():
                    self.assertGreaterEqual(widget.width() + 1, min(widget.sizeHint().width(), 400), widget.text())


class FilesTest(DeskCase):
    def test_a_bad_file_says_why_and_leaves_the_job_open(self):
        self.click(400, 300)
        bad = self.folder / "bad.jpg"
        bad.write_bytes(b"nonsense")
        self.assertFalse(self.window.open_path(bad))
        self.assertIn("not a picture", self.window.notice.text())
        self.assertEqual(len(self.layer.edits), 1)

    def test_a_photo_is_opened_by_dropping_it(self):
        path = self.folder / "dropped.png"
        write_picture(path, skin_like(), profile=srgb_profile())
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                           Qt.KeyboardModifier.NoModifier)
        self.window.dropEvent(event)
        self.settle()
        self.assertEqual(self.window.job.session.photo.name, "dropped.png")
        self.assertEqual(self.window.header.title.text(), "dropped.png")
        self.assertTrue(self.window.header.tabs["review"].isVisible())

    def test_the_demo_opens_as_a_job_of_ones_own(self):
        place_demo()
        self.window.close_job()
        self.window.show_start()
        self.window.open_demo()
        self.settle()
        self.assertEqual(self.window.header.title.text(), "Wren, spring cards")
        self.assertGreater(len(self.layer.edits), 4)
        self.assertIsNone(self.window.job.session.job_file)
        self.click(900, 900)
        self.assertEqual(self.window.header.state.text(), "Not saved yet")

    def test_the_first_time_its_photo_is_there_before_the_rest_is_made(self):
        made, gate = place_demo(), threading.Event()
        for painted in (False, True):
            gate.clear()
            hidden = mock.patch.object(opening_demo, "demo_file", return_value=self.folder / "none.lather")
            late = mock.patch.object(opening_demo, "demo_job_path", side_effect=lambda plate: gate.wait(20) and made)
            self.window.close_job()
            self.window.show_start()
            with hidden, late:
                self.window.open_demo()
                self.assertIn("its photo comes first", self.window.notice.text())
                self.wait(lambda: self.window.job is not None, 60)
                self.settle()
                self.assertEqual((self.job.job.finds, self.job.job.edit_count), ((), 0))
                self.assertIn("being made", self.window.notice.text())
                if painted:
                    self.click(900, 900)
                gate.set()
                self.wait(self.window.background.idle)
                self.settle()
            self.assertEqual(self.job.job.edit_count > 4, not painted)  # what was begun on the photo is not taken away
            self.assertEqual("open it from the start page" in self.window.notice.text(), painted)

    def test_a_failed_save_says_why_and_keeps_the_work(self):
        self.click(400, 300)
        self.window.job.save(self.folder / "none" / "job.lather")
        self.wait(lambda: not self.window.job.saving)
        self.assertIn("does not exist", self.window.notice.text())
        self.assertFalse(self.window.job.saved)
        self.assertEqual(len(self.layer.edits), 1)

    def test_deliver_can_be_stopped_and_leaves_nothing(self):
        screen = self.list_output("out", format="PNG")
        screen.deliver.click()
        screen.cancel.click()
        self.wait(lambda: not screen.runner.running)
        self.assertIn("Stopped", screen.state.text())
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_missing_folder_is_made_and_one_that_cannot_be_is_said(self):
        screen = self.list_output("out", format="PNG")
        screen.folder.setText(str(self.folder / "new" / "sub"))
        screen.deliver.click()
        self.wait(lambda: not screen.runner.running)
        self.assertTrue((self.folder / "new" / "sub" / "out.png").exists())
        blocked = self.folder / "file"
        blocked.write_text("in the way")
        screen.folder.setText(str(blocked / "sub"))
        screen.deliver.click()
        self.assertIn("cannot be made", screen.state.text())

    def test_closing_a_job_whose_preview_is_being_made_is_no_error(self):
        failed, begun, closed = [], threading.Event(), threading.Event()
        finished = DisplayConverter.bgrx

        def late(converter, pixels):  # the preview is ready only when its screen is gone
            if threading.current_thread().name == "proof":
                begun.set()
                closed.wait(1)
            return finished(converter, pixels)

        hooks = mock.patch.object(threading, "excepthook", failed.append)
        with mock.patch.object(DisplayConverter, "bgrx", late), hooks:
            self.window.show_screen("deliver")
            self.wait(begun.is_set)
            made = [t for t in threading.enumerate() if t.name == "proof"]
            self.take(session_of(marked()))
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            closed.set()
            for thread in made:
                thread.join(10)
        self.assertEqual(failed, [])

    def test_the_photo_itself_is_never_written_over(self):
        path = self.folder / "photo.png"
        write_picture(path, skin_like(), profile=srgb_profile())
        before = path.read_bytes()
        self.window.open_path(path)
        self.settle()
        screen = self.list_output("photo", format="PNG")
        self.assertEqual(screen.rows[0].words.text(), "Name is taken")
        screen.rows[0].replace.click()
        screen.deliver.click()
        self.wait(lambda: not screen.runner.running)
        self.assertIn("the photo itself", self.window.notice.text())
        self.assertEqual(path.read_bytes(), before)

    def test_a_layer_removed_under_the_pen_takes_its_stroke_along(self):
        self.desk.layers.add_button.click()
        self.mouse(QEvent.Type.MouseButtonPress, 300, 300)
        self.desk.layers.remove.click()
        self.mouse(QEvent.Type.MouseButtonRelease, 300, 300, down=False)
        self.settle()
        self.assertEqual([len(x.edits) for x in self.window.job.stage.layers], [0])
        self.assertIn("removed", self.window.notice.text())

    def test_work_left_by_a_crash_is_offered_and_comes_back(self):
        path = self.folder / "photo.png"
        write_picture(path, skin_like(400, 400), profile=srgb_profile())
        self.window.open_path(path)
        self.settle()
        self.click(200, 200)
        pixels = self.whole()
        journal = self.window.job.journal
        self.window.close_job(keep_journal=True)  # as a killed program would leave it
        found = [item for item in leftovers() if item.path == journal.path]
        self.assertEqual(found[0].steps, 1)
        self.assertTrue(self.window.recover(found[0]))
        self.settle()
        np.testing.assert_array_equal(self.whole(), pixels)
        self.assertFalse(self.window.job.saved)
        self.assertFalse(journal.path.exists())
