"""Sculpt in the real window: paths proposed, moved, widened, left out and laid; light painted by hand."""

import numpy as np
from PyQt6.QtCore import Qt

from lather.desktop.stages.sculpt.overlay import number_place
from tests.support.faces import made_face
from tests.support.window_case import WindowCase


class SculptCase(WindowCase):
    def open(self):
        self.face = made_face()
        session = self.face.session()
        self.take_measured(session, self.face.measures)
        self.key(Qt.Key.Key_5)
        self.rest()
        self.part, self.panel = self.desk.part, self.desk.part.list_panel
        nose = self.face.measures.face.points["nose_tip"]
        self.canvas.centre_on(*nose, 1.0)
        self.settle()
        self.photo = session.photo.read(session.photo.bounds)

    def row(self, name):
        return next(one for one in self.part.rows if one.id == name)

    def number_at(self, one):
        """Source place of a path's number."""
        at = number_place(self.canvas, one)
        return self.canvas.view.to_source(at.x(), at.y())


class PathsTest(SculptCase):
    def test_paths_are_listed_and_e_lays_all_as_one_step(self):
        self.open()
        self.assertIs(self.desk.list_stack.currentWidget(), self.panel)
        self.assertEqual(self.desk.lists.button("finds").text(), "Paths")
        proposed = [one for one in self.part.rows if not one.left_out]
        self.assertEqual(self.panel.list.count(), len(self.part.rows))
        self.assertIn(str(len(proposed)), self.panel.lay.text())
        self.key(Qt.Key.Key_E)
        self.rest()
        self.assertEqual([x.name for x in self.job.stage.layers], ["Light", "Shade"])
        self.assertGreater(np.abs(self.whole() - self.photo).max(), 0.01)
        self.assertEqual(self.part.waiting(), [])
        self.assertIn("stop", self.part.pointer_text())
        self.assertNotEqual(self.panel.lay.text(), f"Lay all {len(proposed)}  E")
        self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), self.photo)
        self.assertEqual(len(self.part.waiting()), len(proposed))

    def test_a_path_is_picked_left_out_and_the_share_changes_its_stops(self):
        self.open()
        self.key(Qt.Key.Key_W)
        first = self.part.picked
        self.assertTrue(first)
        self.key(Qt.Key.Key_T)
        self.assertIn(first, self.part.off)
        self.assertNotIn(first, [one.id for one in self.part.waiting()])
        self.key(Qt.Key.Key_T)
        self.assertNotIn(first, self.part.off)
        text = self.panel.list.item(0).data(Qt.ItemDataRole.UserRole + 1)[1]
        self.panel.share.set_value(50, tell=True)
        self.assertNotEqual(self.panel.list.item(0).data(Qt.ItemDataRole.UserRole + 1)[1], text)

    def test_a_path_is_dragged_by_its_number_and_widened_at_its_rim(self):
        self.open()
        one = next(x for x in self.part.rows if not x.left_out and x.id in ("forehead", "chin", "nose"))
        self.canvas.centre_on(*np.concatenate(one.paths).mean(0), 1.0)
        self.settle()
        x, y = self.number_at(one)
        self.drag([(x, y), (x + 10, y + 6), (x + 20, y + 12)])
        moved = self.row(one.id)
        np.testing.assert_allclose(moved.paths[0], one.paths[0] + (20, 12), atol=1.5)
        self.assertEqual(self.job.job.edit_count, 0)
        middle, width = moved.paths[0][len(moved.paths[0]) // 2], moved.width_px
        across, down = np.ptp(moved.paths[0], axis=0)
        edge = middle + 0.25 * width * np.array((0.0, 1.0) if across > down else (1.0, 0.0))
        self.drag([tuple(edge), tuple(edge + (edge - middle) * 0.5), tuple(middle + (edge - middle) * 1.5)])
        self.assertGreater(self.row(one.id).width_px, 1.2 * width)

    def test_light_painted_by_hand_follows_and_shift_is_shade(self):
        self.open()
        self.panel.look.button("off").click()
        self.assertEqual(self.desk.state.tool, "light")
        eye, mouth = (np.array(self.face.measures.face.points[k]) for k in ("eye_left", "mouth_left"))
        x, y = 0.5 * (eye + mouth)
        self.part.panel.following.set_value(0, tell=True)
        self.drag([(x - 10, y), (x, y), (x + 10, y)])
        lifted = self.whole()[int(y), int(x)].mean() - self.photo[int(y), int(x)].mean()
        self.assertGreater(lifted, 0.01)
        self.drag([(x - 10, y), (x, y), (x + 10, y)], Qt.KeyboardModifier.ShiftModifier)
        self.drag([(x - 10, y), (x, y), (x + 10, y)], Qt.KeyboardModifier.ShiftModifier)
        self.assertLess(self.whole()[int(y), int(x)].mean() - self.photo[int(y), int(x)].mean(), lifted)
        self.assertEqual([e.tool for e in self.job.layer.edits], ["light", "shade", "shade"])
        self.rest()
        self.assertIn("+", self.part.panel.most["sculpt_light"].text())
