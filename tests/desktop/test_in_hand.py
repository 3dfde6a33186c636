"""Edits taken in hand on the photo: picked, changed, given other skin and taken out, of every kind, in the window."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import STAGE_IDS
from lather.core.job.picking import edits_at
from lather.core.stages.example import HEIGHT, WIDTH
from lather.core.stages.registry import stage_info
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

_NUMBER_Y = 8


def place_of(job, edit):
    """A place that the edit covers; None where its fence leaves none of those looked at."""
    middle = [edit.points[:, :2].mean(0)] if edit.by_outline and len(edit.points) > 2 else []
    places = [(float(x), float(y)) for x, y in [*middle, *edit.points[:, :2]] if 0 < x < WIDTH and 0 < y < HEIGHT]
    return next((place for place in places if any(one[2].id == edit.id for one in edits_at(job, *place))), None)


class InHandTest(WindowCase):
    def open(self, stage_id=None):
        session = session_of(skin_like(HEIGHT, WIDTH))
        if stage_id is not None:
            stage = replace(session.job.stage(stage_id), layers=stage_info(stage_id).example())
            session.history = History(session.job.with_stage(stage))
        self.take(session)
        self.in_hand = self.desk.in_hand

    def type(self, slider, text) -> None:
        QTest.mouseDClick(slider, Qt.MouseButton.LeftButton, pos=QPoint(slider.width() - 5, _NUMBER_Y))
        QTest.keyClicks(slider.editor, text)
        QTest.keyClick(slider.editor, Qt.Key.Key_Return)
        self.pump()

    def pick(self, edit) -> None:
        """Click until the edit is in hand: each click at a place takes the next that lies there."""
        x, y = place_of(self.job.job, edit)
        for _ in edits_at(self.job.job, x, y, reach=9):
            self.click(x, y)
            if [one.id for one in self.in_hand.edits] == [edit.id]:
                return
        self.fail(f"{edit.tool} was not found by clicks at {x:.0f}, {y:.0f}")

    def edit(self, edit_id):
        return next((one for one in self.job.job.edits() if one.id == edit_id), None)

    def test_each_kind_of_edit_is_picked_changed_and_taken_out(self):
        kinds, modes = set(), set()
        for stage_id in STAGE_IDS:
            self.open(stage_id)
            self.key(Qt.Key.Key_J)
            strip = self.desk.brush_strip
            self.assertTrue(strip.arrow.isChecked())
            before = self.job.job.edit_count
            edits = [edit for layer in self.job.job.stage(stage_id).layers for edit in layer.edits if layer.on]
            tried = {edit.tool: edit for edit in edits if place_of(self.job.job, edit)}
            self.assertEqual(set(tried), {edit.tool for edit in edits})
            for tool, edit in tried.items():
                if tool in kinds:
                    continue
                with self.subTest(stage=stage_id, tool=tool):
                    others = {one.id: one.brush for one in self.job.job.edits() if one.id != edit.id}
                    self.pick(edit)
                    self.assertEqual(self.job.stage_id, stage_id)
                    self.assertEqual([one.id for one in self.desk.mends.chosen()], [edit.id])
                    if strip.size.isVisible() and strip.size.isEnabled():
                        self.type(strip.size, "31")
                        self.assertEqual(self.edit(edit.id).brush.size_px, 31)
                        kinds.add(tool)
                    if strip.ceiling.isVisible():
                        self.type(strip.ceiling, "44")
                        self.assertAlmostEqual(self.edit(edit.id).brush.ceiling, 0.44)
                        kinds.add(tool)
                    if tool in strip.modes and strip.modes[tool].isVisible():
                        wanted = next(mode for mode in strip.modes[tool].options if mode != edit.mode)
                        QTest.mouseClick(strip.modes[tool].button(wanted), Qt.MouseButton.LeftButton)
                        self.assertEqual(self.edit(edit.id).mode, wanted)
                        modes.add(tool)
                    if strip.area_feather.isVisible():
                        self.type(strip.area_feather, "17")
                        self.assertEqual(self.edit(edit.id).feather_px, 17)
                        kinds.add(tool)
                    self.assertEqual([one.id for one in self.in_hand.edits], [edit.id])
                    self.assertEqual({one.id: one.brush for one in self.job.job.edits() if one.id != edit.id}, others)
                    self.key(Qt.Key.Key_Delete)
                    self.assertIsNone(self.edit(edit.id))
                    self.key(Qt.Key.Key_Z)
                    self.assertIsNotNone(self.edit(edit.id))
                    self.assertEqual(self.job.job.edit_count, before)
        self.assertGreater(len(kinds), 18)
        self.assertLessEqual({"copy", "area", "lift"}, modes)
        self.assertLessEqual({"dab", "copy", "graft", "lift", "push", "mask", "mask_area"}, kinds)

    def test_a_smaller_mend_shows_and_the_brush_is_as_it_was(self):
        self.open()
        self.type(self.desk.brush_strip.size, "50")
        self.click(300, 260)
        mended = self.whole()
        self.key(Qt.Key.Key_J)
        self.click(305, 262)
        self.assertEqual(self.desk.brush_strip.size.value, 50)
        self.key(Qt.Key.Key_I)
        self.type(self.desk.brush_strip.ceiling, "30")
        edit = self.in_hand.edits[0]
        self.assertLess(edit.brush.size_px, 50)
        self.assertEqual(edit.brush.ceiling, 0.3)
        self.assertFalse(np.array_equal(self.whole(), mended))
        self.assertEqual((self.desk.state.brush.size_px, self.desk.state.brush.ceiling), (50, 1.0))
        QTest.mouseClick(self.desk.brush_strip.tools["carry"], Qt.MouseButton.LeftButton)
        self.assertFalse(self.in_hand.arrow)
        self.assertEqual(self.in_hand.edits, [])
        QTest.mouseClick(self.desk.brush_strip.tools["dab"], Qt.MouseButton.LeftButton)
        self.assertEqual(self.desk.brush_strip.size.value, 50)

    def open_found(self):
        """Two dark spots and a mole, as finds."""
        pixels = skin_like(HEIGHT, WIDTH)
        for x in (200, 300, 420):
            pixels[196:206, x - 5 : x + 5] //= 2
        session = session_of(pixels)
        finds = [Find(f"blemish_dark-{x}-200", "blemish_dark", x, 200, 10, 20.0, 0.97, "cheek") for x in (200, 300)]
        mole = Find("mole-420-200", "mole", 420, 200, 12, 20.0, 0.97, "cheek", keeper=True)
        session.history.amend(SetFinds((*finds, mole), None, None))
        self.take(session)
        self.in_hand = self.desk.in_hand

    def test_a_find_just_mended_is_open_for_change_until_the_next(self):
        self.open_found()
        self.key(Qt.Key.Key_W)
        self.key(Qt.Key.Key_E)
        self.wait(lambda: bool(self.in_hand.edits))
        edit, own = self.in_hand.edits[0], self.desk.state.brush
        self.key(Qt.Key.Key_O)
        self.assertGreater(self.edit(edit.id).brush.size_px, edit.brush.size_px)
        self.assertEqual(self.desk.state.brush, own)
        self.key(Qt.Key.Key_E)
        self.assertNotEqual(self.desk.found.current.id, edit.find)
        self.assertEqual(self.in_hand.edits, [])
        self.assertEqual(self.job.job.edit_count, 1)

    def test_open_finds_and_keepers_are_marked_in_mend_and_one_key_hides_them(self):
        self.open_found()
        self.canvas.zoom_to(1.0)
        self.settle()

        def seen():
            return self.canvas.grab().toImage()

        marked = seen()
        self.key(Qt.Key.Key_K)
        bare = seen()
        self.assertNotEqual(marked, bare)
        self.key(Qt.Key.Key_4)
        self.assertEqual(seen(), bare)  # the plain picture, without a mark
        self.key(Qt.Key.Key_K)
        self.assertEqual(seen(), bare)
        self.key(Qt.Key.Key_1)
        self.assertEqual(seen(), marked)

    def test_a_dab_on_a_mark_takes_all_of_it_or_what_the_held_key_says(self):
        self.open_found()
        self.type(self.desk.brush_strip.size, "6")
        self.click(420, 201)
        self.assertGreaterEqual(self.job.layer.edits[0].brush.size_px, 12)
        self.assertIn("Laid at", self.desk.messages.text())
        self.assertEqual(self.desk.state.brush.size_px, 6)
        with self.hold(Qt.Key.Key_U):
            self.click(300, 200)
        self.assertEqual(self.job.layer.edits[1].brush.size_px, 6)
        self.click(100, 400)
        self.assertEqual(self.job.layer.edits[2].brush.size_px, 6)

    def test_a_click_on_the_source_ring_of_the_last_mend_is_a_touch(self):
        self.open()
        self.click(300, 260)
        edit = self.job.layer.edits[0]
        self.assertIsNotNone(self.desk.control.shown_source)
        self.click(300 + edit.offset[0], 260 + edit.offset[1])
        self.assertEqual([one.tool for one in self.job.layer.edits], ["dab", "dab"])
        self.assertEqual(self.job.layer.edits[0].offset, edit.offset)

    def test_several_by_shift_and_a_drag_is_one_step(self):
        self.open()
        for x in (150, 300, 450):
            self.click(x, 260)
        self.key(Qt.Key.Key_J)
        self.click(150, 260)
        self.click(450, 260, Qt.KeyboardModifier.ShiftModifier)
        self.assertEqual(len(self.in_hand.edits), 2)
        steps = self.job.session.history.position
        slider = self.desk.brush_strip.size
        knob = QPoint(round(slider._knob()), 28)
        QTest.mousePress(slider, Qt.MouseButton.LeftButton, pos=knob)
        for by in (4, 8, 12):
            QTest.mouseMove(slider, knob + QPoint(by, 0))
        QTest.mouseRelease(slider, Qt.MouseButton.LeftButton, pos=knob + QPoint(12, 0))
        self.settle()
        sizes = [edit.brush.size_px for edit in self.job.stage.layers[0].edits]
        self.assertEqual(sizes[0], sizes[2])
        self.assertGreater(sizes[0], sizes[1])
        self.assertEqual(self.job.session.history.position, steps + 1)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(len({edit.brush.size_px for edit in self.job.stage.layers[0].edits}), 1)
        self.key(Qt.Key.Key_Delete)
        self.assertEqual(len(self.job.stage.layers[0].edits), 1)

    def test_the_arrow_never_paints_and_goes_to_the_stage_of_what_it_takes(self):
        self.open()
        self.click(300, 260)
        self.key(Qt.Key.Key_4)
        self.key(Qt.Key.Key_J)
        self.click(100, 100)
        self.assertEqual(self.job.job.edit_count, 1)
        self.assertEqual(self.job.stage_id, "even")
        self.click(300, 260)
        self.assertEqual(self.job.stage_id, "mend")
        before = self.in_hand.edits[0].offset
        self.key(Qt.Key.Key_F)
        self.wait(lambda: self.in_hand.edits[0].offset != before)
        self.key(Qt.Key.Key_Escape)
        self.assertEqual(self.in_hand.edits, [])
        self.assertTrue(self.in_hand.arrow)
        self.key(Qt.Key.Key_Escape)
        self.assertFalse(self.in_hand.arrow)
        self.click(100, 100)
        self.assertEqual(self.job.job.edit_count, 2)
