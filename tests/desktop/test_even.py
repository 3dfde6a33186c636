"""Even in the real window: strokes by pen and mouse, outlines, finds by key, two layers, what the pointer tells."""

import numpy as np
from PyQt6.QtCore import QEvent, Qt

from lather.core.colour.lab import srgb_lightness
from lather.core.find.areas.blotches import find_blotches
from lather.core.find.scene import FindScene
from lather.core.job.commands import SetFinds
from lather.core.types import as_float32
from tests.support.faces import made_face
from tests.support.window_case import WindowCase


class EvenCase(WindowCase):
    def open(self, finds=True):
        self.face = made_face(stains=8)
        session = self.face.session()
        found = find_blotches(FindScene(self.face.measures)) if finds else []
        session.history.amend(SetFinds(tuple(found), self.face.measures.face))
        self.take_measured(session, self.face.measures)
        self.key(Qt.Key.Key_4)
        self.rest()
        self.dark = max((f for f in self.face.flaws if f.kind == "blotch_dark"), key=lambda f: f.contrast_de)
        self.canvas.centre_on(self.dark.x, self.dark.y, 1.0)
        self.settle()
        self.photo = session.photo.read(session.photo.bounds)

    def light(self, flaw, pixels=None):
        r = max(1, int(0.25 * flaw.size_px))
        part = (self.whole() if pixels is None else pixels)[int(flaw.y) - r : int(flaw.y) + r + 1,
                                                            int(flaw.x) - r : int(flaw.x) + r + 1]
        return float(srgb_lightness(part).mean())

    def size(self, times):
        self.desk.brush_strip.size.set_value(times * self.dark.size_px, tell=True)

    def over(self, flaw):
        return [(flaw.x - 3, flaw.y), (flaw.x, flaw.y), (flaw.x + 3, flaw.y)]


class StrokeTest(EvenCase):
    def test_the_stage_begins_gently_and_its_strokes_choose_how_they_are_laid(self):
        self.open()
        strip, state = self.desk.brush_strip, self.desk.state
        self.assertEqual((state.tool, state.mode), ("lift", "assisted"))
        brush = state.brush
        self.assertEqual((brush.ceiling, brush.flow, brush.edge), (0.14, 0.14, 1.0))
        self.assertTrue(strip.modes["lift"].isVisible())
        strip.modes["lift"].button("free").click()
        strip.choose("lower")
        self.assertEqual(state.mode, "free")
        strip.choose("give_back")
        self.assertFalse(strip.modes["lift"].isVisible())

    def test_assisted_strokes_by_mouse_and_pen_lift_a_blotch_and_shift_lowers_which_does_nothing_there(self):
        self.open()
        before = self.light(self.dark)
        self.size(2)
        self.drag(self.over(self.dark))
        once = self.light(self.dark)
        self.pen_stroke([(x, y, 0.8) for x, y in self.over(self.dark)])
        twice = self.light(self.dark)
        self.assertGreater(once, before + 0.05)
        self.assertGreater(twice, once + 0.03)
        self.drag(self.over(self.dark), Qt.KeyboardModifier.ShiftModifier)
        edits = self.job.layer.edits
        self.assertEqual([e.tool for e in edits], ["lift", "lift", "lower"])
        self.assertEqual({e.mode for e in edits}, {"assisted"})
        self.assertAlmostEqual(self.light(self.dark), twice, delta=0.1)
        x, y = int(self.dark.x), int(self.dark.y)
        shown = np.mean([self.shown(x + dx + 0.5, y + dy + 0.5) for dx in range(-2, 3) for dy in range(-2, 3)], 0)
        np.testing.assert_allclose(shown, 255 * self.whole()[y - 2 : y + 3, x - 2 : x + 3].mean((0, 1)), atol=3)
        for _ in range(3):
            self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), self.photo)

    def test_strokes_driven_through_the_window_leave_little_of_a_blotch(self):
        self.open()
        clean = as_float32(self.face.truth)
        made = self.light(self.dark, self.photo) - self.light(self.dark, clean)
        self.desk.brush_strip.modes["lift"].button("around").click()
        self.size(2.2)
        self.desk.brush_strip.ceiling.set_value(40, tell=True)
        self.desk.brush_strip.flow.set_value(40, tell=True)
        for _ in range(7):
            self.drag(self.over(self.dark))
        left = self.light(self.dark) - self.light(self.dark, clean)
        self.assertLess(abs(left / made), 0.45)

    def test_the_pointer_tells_what_is_to_go_and_s_takes_the_size_from_the_blotch(self):
        self.open()
        self.size(2)
        self.mouse(QEvent.Type.MouseMove, self.dark.x, self.dark.y, down=False)
        part = self.desk.part
        self.wait(lambda: part._told is not None)
        self.assertRegex(part.pointer_text(), r"ΔL\* to go \d\.\d · \d+ pass")
        with self.hold(Qt.Key.Key_S):
            pass
        self.assertGreater(self.desk.state.brush.size_px, 0.5 * self.dark.size_px)
        self.assertLess(self.desk.state.brush.size_px, 4 * self.dark.size_px)
        self.drag(self.over(self.dark))
        self.assertEqual(part.pointer_text(), "")  # told of a job that is gone: asked anew
        self.desk.brush_strip.modes["lift"].button("free").click()
        self.assertEqual(part.pointer_text(), "")

    def test_with_two_layers_each_stroke_goes_to_its_own(self):
        self.open()
        self.desk.part.panel.apart.click()
        self.size(2)
        self.drag(self.over(self.dark))
        self.drag(self.over(self.dark), Qt.KeyboardModifier.ShiftModifier)
        self.drag(self.over(self.dark))
        layers = self.job.stage.layers
        self.assertEqual([(x.settings["side"], [e.tool for e in x.edits]) for x in layers],
                         [("lift", ["lift", "lift"]), ("lower", ["lower"])])


class AreaTest(EvenCase):
    def test_an_outline_is_evened_at_its_share_and_once_more_with_the_same_key(self):
        self.open()
        before, d = self.light(self.dark), self.dark
        self.desk.brush_strip.choose("even_area")
        self.assertFalse(self.desk.brush_strip.flow.isVisible())
        self.assertEqual(self.desk.brush_strip.ceiling.name, "Share")
        rim = [(d.x + d.size_px * np.cos(t), d.y + d.size_px * np.sin(t)) for t in np.linspace(0, 6.2, 24)]
        self.drag(rim)
        edit = self.job.layer.edits[-1]
        self.assertEqual((edit.tool, edit.brush.ceiling, edit.mode), ("even_area", 0.8, "assisted"))
        self.assertGreater(self.light(self.dark), before + 0.3)
        self.key(Qt.Key.Key_F)
        self.assertEqual(len(self.job.layer.edits), 2)


class FindsTest(EvenCase):
    def test_blotches_are_stepped_through_evened_by_key_and_all_as_one_step(self):
        self.open()
        found, panel = self.desk.found, self.desk.finds
        kinds = {f.kind for f in found.shown()}
        self.assertLessEqual(kinds, {"blotch_dark", "blotch_bright"})
        self.assertGreater(len(found.shown()), 3)
        self.assertIn("Even", panel.buttons["mend"].text())
        self.assertTrue(panel.share.isVisible())
        self.key(Qt.Key.Key_W)
        first = found.current
        self.assertIn("ΔL*", panel.list.model().index(0, 0).data(Qt.ItemDataRole.ToolTipRole))
        panel.share.set_value(50, tell=True)
        self.key(Qt.Key.Key_E)
        self.rest()
        edit = self.job.stage.layers[0].edits[-1]
        self.assertEqual((edit.find, edit.brush.ceiling), (first.id, 0.5))
        self.assertEqual(found.states()[first.id], "mended")
        steps = len(self.job.session.history.commands)
        self.assertIn("Even all", panel.all.text())
        panel.all.click()
        self.rest()
        self.assertEqual(len(self.job.session.history.commands), steps + 1)
        self.assertTrue(all(state == "mended" for f in found.shown() for state in (found.states()[f.id],)))
        self.assertIn("Evened", self.window.notice.text())
        self.key(Qt.Key.Key_Z)
        self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), self.photo)
