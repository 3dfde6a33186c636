"""Colour in the real window: matched, whitened, calmed, its masks painted, grown and turned round."""

import functools
import threading
from unittest import mock

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.engine import faces_of
from lather.core.job.commands import SetFinds
from lather.core.job.face_mesh import EYES, LIDS, LIPS_OUTER
from lather.core.job.finds import Find
from lather.core.people.guard import Guard
from lather.core.people.zone_masks import ZoneMasks
from lather.core.practice.sitters import EYE_WHITE, LIPS, SKIN, TEETH
from lather.desktop.controls.painting.pointer_overlay import pointer_text
from lather.desktop.stages.adjust import part
from lather.desktop.stages.adjust.list_panel import NOT_USED
from tests.support.faces import Face, made_face
from tests.support.window_case import WindowCase


@functools.cache
def tilda() -> Face:
    return made_face("tilda", 4, 0.45, redness=2, shine=3, yellow_teeth=1, dull_eyes=1)


def ring(x: float, y: float, across: float, down: float) -> list[tuple[float, float]]:
    return [(x + across * np.cos(t), y + down * np.sin(t)) for t in np.linspace(0, 6.1, 26)]


class ColourCase(WindowCase):
    stage_key = Qt.Key.Key_6

    def open(self, finds: tuple[Find, ...] = ()) -> None:
        self.face = tilda()
        session = self.face.session()
        session.history.amend(SetFinds(finds, session.job.face_map, session.job.other_faces))
        self.take_measured(session, self.face.measures)
        self.key(self.stage_key)
        self.still()
        self.part = self.desk.part
        self.photo = session.photo.read(session.photo.bounds)
        self.map = session.job.face_map

    def still(self) -> None:
        """Until what was begun stands in the box; the gauges of the skin may take longer."""
        self.settle()
        self.wait(lambda: self.desk.part.idle(), 60)
        self.settle()

    def take_kind(self, kind: str):
        """Choose an adjustment, and use it as it is proposed."""
        QTest.mouseClick(self.part.list.rows[kind], Qt.MouseButton.LeftButton)
        self.still()
        box = self.part.box[kind]
        if box.use.isVisible():
            QTest.mouseClick(box.use, Qt.MouseButton.LeftButton)
            self.still()
        return box

    def tool(self, tool: str) -> None:
        QTest.mouseClick(self.desk.brush_strip.tools[tool], Qt.MouseButton.LeftButton)

    @property
    def changed(self):
        return np.abs(self.whole() - self.photo).max(-1)

    @property
    def layer(self):
        return self.job.layer


class MatchTest(ColourCase):
    def test_two_outlines_by_mouse_carry_the_colour_over_show_the_pair_and_are_one_step_each(self):
        self.open()
        box = self.take_kind("match")
        self.assertEqual(self.desk.state.tool, "reference")
        self.assertIn("Outline skin you trust", box.note.text())
        nose = self.map.points["nose_tip"]
        chin = self.map.points["chin"]
        self.drag(ring(nose[0] - 90, nose[1], 40, 36))
        self.still()
        self.assertIn("Target to be outlined", self.part.list.rows["match"].says)
        self.tool("target")
        self.drag(ring(chin[0], chin[1] + 110, 70, 40))
        self.still()
        settings = self.layer.settings
        self.assertEqual({"reference", "target", "measured_to", "measured_from"} - set(settings), set())
        self.wait(lambda: "→" in box.difference.text())
        before, now = (float(one) for one in box.difference.text().removeprefix("ΔE ").split(" · ")[0].split(" → "))
        self.assertLess(now, 0.35 * before)
        self.assertTrue(all(not crop.pixmap().isNull() for crop in box.crops.values()))
        x, y = int(chin[0]), int(chin[1] + 110)
        self.assertGreater(self.changed[y, x], 0.002)
        self.assertEqual(float(self.changed[: int(chin[1])].max()), 0.0)
        light = box.controls["light"]
        self.assertEqual(light.isChecked(), settings["light"])
        QTest.mouseClick(light, Qt.MouseButton.LeftButton)
        self.assertNotEqual(self.layer.settings["light"], settings["light"])
        self.tool("target")
        self.drag(ring(chin[0] + 10, chin[1] + 150, 50, 30))
        self.still()
        self.assertEqual([edit.tool for edit in self.layer.edits], ["target"])  # in the place of the one before
        self.assertEqual(float(self.changed[int(chin[1] + 75), x]), 0.0)
        for _ in range(3):
            self.key(Qt.Key.Key_Z)
        self.assertEqual((len(self.layer.edits), "target" in self.layer.settings), (0, False))

    def test_a_part_of_the_skin_is_chosen_by_name_and_its_mask_is_its_zone(self):
        self.open()
        box = self.take_kind("match")
        for name, zone in (("reference", "cheek, left"), ("target", "neck")):
            choice = box.zones[name]
            choice.setCurrentIndex(choice.findData(zone))
            choice.activated.emit(choice.currentIndex())
            self.still()
        self.assertEqual(self.layer.settings["zones"], ["neck"])
        self.assertEqual(self.part.list.rows["match"].says, "cheek, left → neck")
        x, y = self.map.points["chin"]
        self.assertGreater(float(self.changed[int(y + 90), int(x)]), 0)


class WhitenTest(ColourCase):
    def test_teeth_and_eye_whites_each_have_a_layer_a_ceiling_and_a_readout(self):
        self.open()
        box = self.take_kind("whiten")
        self.wait(lambda: "→" in box.light.text())
        self.assertEqual(box.light.name, "Teeth L*")
        self.assertIn("teeth stay darker", box.note.text())
        teeth = self.face.zones == 3
        self.assertGreater(float(self.changed[teeth].mean()), 0.01)
        part = box.controls["part"]
        part.setCurrentIndex(part.findData("eye_whites"))
        part.activated.emit(part.currentIndex())
        self.still()
        layers = self.job.job.stage("colour").layers
        self.assertEqual([layer.name for layer in layers], ["Teeth, whiten", "Eye whites, whiten"])
        self.wait(lambda: box.light.name == "Eye whites L*")
        box.controls["most_light"].set_value(98, tell=True)
        self.assertEqual(self.layer.settings["most_light"], 84.0)
        self.assertEqual(box.controls["most_light"].value, 84.0)
        slider = box.controls["yellow_out"]
        slider.set_value(0, tell=True)
        box.controls["lighter"].set_value(0, tell=True)
        self.still()
        whites = self.face.zones == 4
        self.assertEqual(float(self.changed[whites & ~teeth].max()), 0.0)


class MaskTest(ColourCase):
    def test_painted_taken_away_turned_round_with_a_key_and_shown_as_a_moving_hatch(self):
        self.open()
        self.take_kind("hues")
        self.part.box["hues"].controls["lightness"].set_value(8, tell=True)
        QTest.mouseClick(self.part.strip.how.button("painted"), Qt.MouseButton.LeftButton)
        self.still()
        self.assertEqual(float(self.changed.max()), 0.0)
        x, y = self.map.points["nose_tip"]
        self.tool("pick")
        self.click(x - 90, y)
        self.still()
        self.assertAlmostEqual(self.layer.settings["hue"], 60, delta=30)  # skin
        self.tool("mask")
        self.desk.state.change(size_px=60, flow=1.0, edge=0.3)
        self.drag([(x - 120, y), (x - 60, y)])
        inside = float(self.changed[int(y), int(x) - 90])
        self.assertGreater(inside, 0.02)
        self.drag([(x - 120, y), (x - 60, y)], Qt.KeyboardModifier.ShiftModifier)  # Shift takes away
        self.assertLess(float(self.changed[int(y), int(x) - 90]), 0.1 * inside)
        self.key(Qt.Key.Key_N)
        self.assertTrue(self.layer.settings["turned"])
        self.assertGreater(float(self.changed[int(y), int(x) - 90]), 0.9 * inside)
        self.key(Qt.Key.Key_N)
        self.drag([(x - 120, y), (x - 60, y)])
        plain = np.array(self.shown(x - 90, y), int)
        self.key(Qt.Key.Key_M)
        self.wait(lambda: self.part.hatch.idle() and self.part.hatch._mask is not None)
        seen = {self.shown(x - 90 + step, y) for step in range(-12, 12, 2)}
        self.assertGreater(max(np.abs(np.array(one, int) - plain).max() for one in seen), 60)
        grab, phase = self.canvas.grab().toImage(), self.part.hatch._phase
        self.wait(lambda: self.part.hatch._phase != phase)
        self.assertNotEqual(self.canvas.grab().toImage(), grab)
        self.key(Qt.Key.Key_M)
        self.assertFalse(self.part.hatch.shown)

    def test_a_mask_is_painted_before_any_slider_is_moved(self):
        self.open()
        self.take_kind("hues")
        self.part._start_chosen("painted")
        x, y = self.map.points["nose_tip"]
        self.tool("mask")
        self.desk.state.change(size_px=60, flow=1.0, edge=0.3)
        self.drag([(x - 120, y), (x - 90, y), (x - 60, y)])
        self.assertEqual((len(self.layer.edits), float(self.changed.max())), (1, 0.0))
        self.part.box["hues"].controls["hue_width"].set_value(180, tell=True)
        self.part.box["hues"].controls["lightness"].set_value(8, tell=True)
        self.still()
        self.assertGreater(float(self.changed[int(y), int(x) - 90]), 0.02)

    def test_what_grew_after_its_stage_was_left_is_not_laid_down(self):
        self.open()
        self.take_kind("hues")
        edits = len(self.layer.edits)
        self.tool("grow")
        x, y = self.map.points["mouth_left"]
        gate = threading.Event()
        with mock.patch.object(part, "grow_fence", side_effect=lambda *_, **how: gate.wait(20) and None):
            self.click(x, y)
            self.key(Qt.Key.Key_0)
            gate.set()
            self.wait(self.part._background.idle)
        self.assertIn("was left", self.window.notice.text())
        self.assertEqual(len(self.job.job.stage("colour").layers[-1].edits), edits)
        self.assertEqual(self.job.job.stage("finish").layers, ())

    def test_grown_outlined_by_zone_and_feathered(self):
        self.open()
        self.take_kind("hues")
        box = self.part.box["hues"]
        box.controls["hue_width"].set_value(180, tell=True)
        box.controls["lightness"].set_value(6, tell=True)
        strip = self.part.strip
        self.part._start_chosen("painted")
        self.tool("grow")
        x, y = self.map.points["mouth_left"]
        width = self.map.width_px
        self.click(x + 0.1 * width, y + 0.06 * width)
        self.still()
        self.assertEqual([edit.tool for edit in self.layer.edits], ["grow"])
        self.assertGreater(int((self.changed > 0.01).sum()), 50)
        self.key(Qt.Key.Key_Z)
        strip.menu.actions()[[a.data() for a in strip.menu.actions()].index("lips")].trigger()
        self.still()
        self.assertEqual(self.layer.settings["zones"], ["lips"])
        self.assertIn("lips", strip.title.text())
        on_lips = self.changed > 0.01
        self.assertGreater(float((self.face.zones[on_lips] == 2).mean()), 0.6)
        strip.feather.set_value(40, tell=True)
        self.still()
        self.assertGreater(int((self.changed > 0.001).sum()), 1.3 * on_lips.sum())
        self.assertEqual(self.desk.course.cells["colour"].count.text(), "by zone")


class SparedTest(ColourCase):
    def open_guarded(self) -> None:
        self.open()
        session = self.job.session
        guard = Guard.of(self.face.measures.people, faces_of(session.job), session.photo.bounds)
        self.desk.measured.guard = guard.with_parts(ZoneMasks(session.photo), faces_of(session.job))
        self.desk._measured()

    def lab_of(self, pixels, where) -> np.ndarray:
        return srgb_to_lab(np.clip(pixels[where], 0, 1)[None])[0]

    def test_shine_across_a_lid_leaves_lid_and_white_and_keeps_the_hue_of_skin(self):
        self.open_guarded()
        self.take_kind("shine")
        eye = self.map.mesh_px[list(EYES["left"])].mean(0)
        width = self.map.width_px
        down = [(float(eye[0]), float(eye[1] + t * width)) for t in np.linspace(0.22, -0.02, 14)]
        self.desk.brush_strip.size.set_value(0.16 * width, tell=True)
        self.drag(down)
        self.still()
        self.assertEqual(len(self.layer.edits), 1)
        after, lids = self.whole(), np.zeros(self.photo.shape[:2], np.uint8)
        cv2.fillPoly(lids, [np.round(self.map.mesh_px[list(LIDS["left"])]).astype(np.int32)], 1)
        for stays in (lids > 0, self.face.zones == EYE_WHITE, self.face.zones == LIPS):
            off = np.linalg.norm(self.lab_of(after, stays) - self.lab_of(self.photo, stays), axis=1)
            self.assertLess(float(off.max()), 0.3)
        on_skin = (self.changed > 0.004) & (self.face.zones == SKIN)
        self.assertGreater(int(on_skin.sum()), 40)
        hues = [np.degrees(np.arctan2(*np.median(self.lab_of(one, on_skin), axis=0)[:0:-1]))
                for one in (after, self.photo)]
        self.assertLess(abs(hues[0] - hues[1]), 2)

    def test_whiten_painted_across_the_mouth_stays_on_the_teeth_and_says_so_elsewhere(self):
        self.open_guarded()
        self.take_kind("whiten")
        QTest.mouseClick(self.part.strip.how.button("painted"), Qt.MouseButton.LeftButton)
        self.still()
        np.testing.assert_array_equal(self.whole(), self.photo)
        x, y = (float(v) for v in self.map.mesh_px[list(LIPS_OUTER)].mean(0))
        width = self.map.width_px
        self.desk.brush_strip.size.set_value(0.2 * width, tell=True)
        self.drag([(x + t * width, y) for t in np.linspace(-0.25, 0.25, 12)])
        self.still()
        teeth = (self.face.zones == TEETH).astype(np.uint8)
        near = cv2.dilate(teeth, np.ones((2 * round(0.02 * width) + 1,) * 2)) > 0
        self.assertGreater(float(self.changed[teeth > 0].mean()), 0.01)
        self.assertEqual(float(self.changed[~near].max()), 0.0)
        self.mouse(QEvent.Type.MouseMove, x, y - 0.5 * width, down=False)
        self.assertIn("only on teeth", str(pointer_text(self.desk.control)))
        self.drag([(x, y - 0.5 * width), (x + 5, y - 0.5 * width)])
        self.assertEqual(len(self.layer.edits), 1)
        with self.hold(Qt.Key.Key_U):
            self.drag([(x, y - 0.5 * width), (x + 5, y - 0.5 * width)])
        self.assertEqual(len(self.layer.edits), 2)

    def test_what_is_left_out_is_said_and_a_key_lets_one_stroke_reach_it(self):
        self.open_guarded()
        box = self.take_kind("calm")
        self.assertIsNotNone(box)
        x, y = (float(v) for v in self.map.mesh_px[list(LIPS_OUTER)].mean(0))
        self.mouse(QEvent.Type.MouseMove, x, y, down=False)
        self.assertIn("stay", str(pointer_text(self.desk.control)))
        self.drag([(x, y), (x + 4, y), (x + 8, y)])
        self.still()
        self.assertEqual(self.layer.edits, ())
        self.assertIn("Lips, eyes", self.desk.messages.text())
        QTest.keyPress(self.canvas, Qt.Key.Key_U)
        self.mouse(QEvent.Type.MouseMove, x, y, down=False)
        self.assertNotIn("stay", str(pointer_text(self.desk.control)))
        self.drag([(x, y), (x + 4, y), (x + 8, y)])
        QTest.keyRelease(self.canvas, Qt.Key.Key_U)
        self.still()
        self.assertEqual(len(self.layer.edits), 1)
        self.assertIsNone(self.layer.edits[0].fence)
        QTest.mouseClick(self.desk.brush_strip.spares, Qt.MouseButton.LeftButton)
        self.drag([(x - 8, y), (x - 4, y), (x, y)])
        self.still()
        self.assertEqual(len(self.layer.edits), 2)


class ChosenTest(ColourCase):
    def choose(self, kind: str):
        QTest.mouseClick(self.part.list.rows[kind], Qt.MouseButton.LeftButton)
        self.still()
        return self.part.box[kind]

    def test_choosing_shows_an_adjustment_and_the_first_change_or_stroke_makes_its_layer(self):
        self.open()
        box = self.choose("whiten")
        self.assertIs(self.part.panel.currentWidget(), box)
        self.assertEqual(self.job.stage.layers, ())
        self.assertIn("Nothing is changed yet", self.desk.messages.text())
        box.controls["lighter"].set_value(40, tell=True)
        self.still()
        (layer,) = self.job.stage.layers
        self.assertEqual((layer.kind, layer.settings["lighter"]), ("whiten", 0.4))
        self.assertIn("measured", layer.settings)
        self.choose("shine")
        self.assertEqual(len(self.job.stage.layers), 1)
        self.assertEqual(self.desk.state.tool, "mask")
        x, y = (sum(self.map.points[f"eye_{side}"][i] for side in ("left", "right")) / 2 for i in (0, 1))
        self.drag([(x, y - 90), (x + 20, y - 90)])
        self.still()
        self.assertEqual([one.kind for one in self.job.stage.layers], ["whiten", "shine"])
        self.assertEqual([len(one.edits) for one in self.job.stage.layers], [0, 1])
        self.choose("iris")
        QTest.mouseClick(self.part.box["iris"].use, Qt.MouseButton.LeftButton)
        self.still()
        QTest.keyClick(QApplication.focusWidget() or self.canvas, Qt.Key.Key_9)  # no click took the keys away
        self.settle()
        self.assertEqual(self.job.stage_id, "crisp")
        self.key(Qt.Key.Key_6)
        self.choose("whiten")  # is in use: taken in hand
        self.assertEqual(self.job.layer.kind, "whiten")
        self.assertFalse(self.part.proposes())


class FindsInColourTest(ColourCase):
    def test_redness_and_shine_are_stepped_through_and_mended_by_key_and_undone_in_one(self):
        finds = tuple(Find(str(flaw.id), flaw.kind, flaw.x, flaw.y, flaw.size_px, flaw.contrast_de, 1.0, zone=flaw.zone,
                           outline=tuple(flaw.outline)) for flaw in tilda().flaws if flaw.kind in ("redness", "shine"))
        self.open(finds)
        self.assertIn("W goes to the first find", self.desk.messages.text())
        self.key(Qt.Key.Key_W)
        find = self.desk.found.current
        self.key(Qt.Key.Key_E)
        self.wait(lambda: self.job.job.find_state(find) == "mended")
        self.still()
        self.assertGreater(float(self.changed[int(find.y), int(find.x)]), 0.005)
        layer = self.job.job.stage("colour").layers[0]
        self.assertEqual(layer.kind, {"redness": "calm", "shine": "shine"}[find.kind])
        self.assertEqual(self.part.list.rows[layer.kind].used, True)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(self.job.job.stage("colour").layers, ())
        self.assertEqual(self.part.list.rows["calm"].says, NOT_USED)
        self.desk.found.mending.mend_shown()
        self.wait(lambda: not self.desk.found.busy, 60)
        self.wait(lambda: all(state == "mended" for state in self.desk.found.states().values()), 60)

    def test_calm_goes_towards_the_colour_that_was_picked(self):
        self.open()
        box = self.take_kind("calm")
        start = self.layer.settings["toward"]
        red = next(flaw for flaw in self.face.flaws if flaw.kind == "redness")
        self.tool("pick")
        self.click(red.x, red.y + 1.1 * red.size_px)
        self.still()
        self.assertNotEqual(self.layer.settings["toward"], start)
        self.assertIn("Towards L*", self.desk.messages.text())
        box.controls["leave"].set_value(0, tell=True)
        self.tool("mask")
        self.desk.state.change(size_px=max(20, red.size_px), flow=1.0)
        self.drag([(red.x, red.y), (red.x + 3, red.y)])
        after = self.whole()[int(red.y), int(red.x)]
        self.assertGreater(after[1] - self.photo[int(red.y), int(red.x)][1], 0.002)  # green comes back


if __name__ == "__main__":
    import unittest

    unittest.main()
