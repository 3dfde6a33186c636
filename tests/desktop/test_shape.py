"""Shape in the real window: pushed, measured, held, stretched and brought back by mouse and keys."""

import functools

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.engine.photo import Photo
from lather.core.imageio.picture import Picture
from lather.core.job.commands import SetBrief
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.practice.flaws.warps import planted_move
from lather.core.practice.make import make_plate
from lather.core.practice.sitters import load_sitter, on_ground
from lather.core.stages.base import STILL
from lather.core.stages.shape import measures
from tests.support.faces import Face, made_face
from tests.support.pictures import session_of
from tests.support.window_case import WindowCase


class ShapeCase(WindowCase):
    def open(self, face: Face | None = None, kind: str = "beauty"):
        self.face = face or made_face("tilda", scale=0.4)
        session = self.face.session()
        session.history.do(SetBrief("kind", kind))
        self.take_measured(session, self.face.measures)
        self.key(Qt.Key.Key_7)
        self.wait(lambda: self.desk.part.idle())
        self.settle()
        self.part, self.panel = self.desk.part, self.desk.part.list_panel
        self.photo = session.photo.read(session.photo.bounds)
        self.map = self.job.job.face_map

    def still(self) -> None:
        """Until what was moved stands in the box; the gauges of the skin may take longer."""
        self.settle()
        self.wait(lambda: self.part.idle())
        self.pump()

    @property
    def warp(self):
        return self.canvas.engine.warp(self.job.job)

    def brush(self, tool: str, **values) -> None:
        self.desk.brush_strip.choose(tool)
        self.desk.state.change(**values)

    def slide(self, slider, share: float) -> None:
        """Drag a slider's knob from the middle with the mouse, without letting go."""
        start, end = (QPointF(slider.width() * x, 28) for x in (0.5, share))
        for kind, at in ((QEvent.Type.MouseButtonPress, start), (QEvent.Type.MouseMove, end)):
            button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
            QApplication.sendEvent(slider, QMouseEvent(kind, at, slider.mapToGlobal(at), button,
                                                       Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier))

    def moved(self, place) -> np.ndarray:
        return self.warp.to_above(np.array([place], float))[0] - place


class PushTest(ShapeCase):
    def test_a_push_moves_both_sides_and_what_is_mended_then_lands_under_the_pointer(self):
        self.open()
        left, right = self.map.mesh_px[172], self.map.mesh_px[397]
        self.brush("push", size_px=120, flow=1.0, ceiling=1.0)
        self.drag([(x, left[1]) for x in (left[0], left[0] + 6, left[0] + 12)])
        self.still()
        self.assertEqual([layer.name for layer in self.job.stage.layers], ["By hand"])
        self.assertGreater(self.moved(left)[0], 6)
        self.assertLess(self.moved(right)[0], -3)
        self.assertGreater(np.abs(self.whole() - self.photo).max(), 0.1)
        self.assertIn("moved", self.part.pointer_text())
        self.desk.brush_strip.other_side.click()
        before = self.moved(right)
        self.drag([(left[0], left[1] + 30), (left[0] + 6, left[1] + 30)])
        np.testing.assert_allclose(self.moved(right), before, atol=0.01)
        self.key(Qt.Key.Key_1)
        for scale in (1.0, None):
            if scale is None:
                self.canvas.fit()
            else:
                self.canvas.centre_on(*left, scale)
            self.settle()
            x, y = self.warp.to_above(left[None])[0]
            self.brush("copy", size_px=8)
            self.desk.state.take(float(left[0]) + 30, float(left[1]))
            self.click(float(x), float(y))
            made = self.job.stage.layers[-1].edits[-1].points[0, :2]
            self.assertLess(np.abs(made - left).max(), 0.5, scale)
            seen = self.canvas.to_screen(*map(float, made))
            self.assertLess(abs(seen.x() - self.canvas.view.to_screen(x, y)[0]), 0.5)
        self.key(Qt.Key.Key_Z)

    def test_a_widened_cheek_is_brought_back_by_hand_and_settle_gives_the_photo(self):
        face = made_face("tilda", 5, 0.5, warp_cheek=1)
        self.open(face)
        flaw = face.flaws[0].to_json()
        flaw["move"] = [0.5 * v for v in flaw["move"]]
        flaw["reach_px"] *= 0.5
        move, at = np.array(flaw["move"]), np.array([flaw["x"], flaw["y"]])
        self.desk.state.other_side = False
        self.brush("push", size_px=1.95 * flaw["reach_px"], flow=0.8, ceiling=1.0)
        for share in (0.5, 0.5, 0.3):  # a little at a time, each from where the cheek now is
            start = self.warp.to_above((at + 0.5 * move)[None])[0]
            self.drag([tuple(start - step * share * move) for step in (0, 0.25, 0.5, 0.75, 1.0)])
        self.still()
        ys, xs = np.mgrid[-1:1:40j, -1:1:40j]
        places = at + flaw["reach_px"] * np.stack([xs, ys], -1).reshape(-1, 2)
        inside = (places > 2).all(1) & (places < np.array([self.photo.shape[1], self.photo.shape[0]]) - 2).all(1)
        below = self.warp.to_below(places[inside])
        left = np.hypot(*(below - planted_move(flaw, below) - places[inside]).T)
        planted = np.hypot(*move)
        self.assertLess(left.max(), 0.25 * planted)
        self.brush("settle", size_px=2000, edge=0.0, flow=1.0, ceiling=1.0)
        self.drag([tuple(at), (at[0] + 20, at[1])])
        self.still()
        np.testing.assert_array_equal(self.whole(), self.photo)

    def test_the_pen_pushes_by_pressure_and_shift_settles(self):
        self.open()
        place = self.map.mesh_px[187]
        self.desk.state.other_side = False
        self.brush("push", size_px=140, flow=1.0, ceiling=1.0, pressure_flow=True)
        self.pen_stroke([(place[0] + 4 * n, place[1], 0.3) for n in range(4)])
        light = self.moved(place)[0]
        self.key(Qt.Key.Key_Z)
        self.pen_stroke([(place[0] + 4 * n, place[1], 1.0) for n in range(4)])
        self.assertGreater(self.moved(place)[0], 1.8 * light)
        full = self.moved(place)[0]
        self.drag([tuple(place), (place[0] + 10, place[1])], Qt.KeyboardModifier.ShiftModifier)
        self.assertLess(self.moved(place)[0], 0.6 * full)

    def test_an_identity_photo_is_refused_and_a_child_asked_for_twice(self):
        self.open(kind="identity-true")
        place = tuple(self.map.mesh_px[187])
        self.brush("push", size_px=140, flow=1.0)
        self.drag([place, (place[0] + 12, place[1])])
        self.assertIs(self.warp, STILL)
        self.assertIn("must not be reshaped", self.desk.messages.text())
        self.assertFalse(self.panel.rows["lids"].both.isEnabled())
        self.job.do(SetBrief("kind", "newborn/child"))
        self.still()
        asked = self.answer("Leave it as it is")
        self.drag([place, (place[0] + 12, place[1])])
        self.assertIs(self.warp, STILL)
        asked += self.answer("Reshape")
        again = self.answer("Yes, they have")
        self.drag([place, (place[0] + 12, place[1])])
        self.drag([place, (place[0] + 12, place[1])])
        self.assertIn("guardians", again[0])
        self.assertGreater(self.moved(place)[0], 2)


class MeasuresTest(ShapeCase):
    def test_a_slider_shows_at_once_and_is_one_step_when_it_is_let_go(self):
        self.open()
        row = self.panel.rows["jaw_corners"]
        self.slide(row.both, 0.25)
        self.settle()
        self.assertEqual(self.job.job.stage("shape").layers, ())
        self.assertIsNotNone(self.part._preview)
        QTest.mouseRelease(row.both, Qt.MouseButton.LeftButton, pos=QPointF(row.both.width() * 0.25, 28).toPoint())
        self.still()
        self.assertEqual([layer.name for layer in self.job.stage.layers], ["Measures"])
        value = measures.values(self.job.job, self.map)["jaw_corners", "left"]
        self.assertAlmostEqual(value, -1.5, delta=0.2)
        self.assertIn("−1.", row.both.text())
        self.assertIn("→", row.facts.text())
        self.assertEqual(self.part.picked, "jaw_corners")
        self.assertIn("px", self.part.panel.largest.text())
        self.panel.sides.button("singly").click()
        self.assertTrue(row.sides["left"].isVisible())
        row.sides["left"].set_value(0.6, tell=True)
        self.still()
        values = measures.values(self.job.job, self.map)
        self.assertAlmostEqual(values["jaw_corners", "left"], 0.6, places=2)
        self.assertAlmostEqual(values["jaw_corners", "right"], value, places=2)
        row.sides["right"].setFocus()
        QTest.keyClicks(row.sides["right"], "-1.2")
        self.assertIn("-1.2", row.sides["right"].text())
        QTest.keyClick(row.sides["right"], Qt.Key.Key_Return)
        self.still()
        self.assertAlmostEqual(measures.values(self.job.job, self.map)["jaw_corners", "right"], -1.2, places=2)
        self.canvas.setFocus()
        self.panel.even.click()
        self.still()
        self.panel.clear.click()
        self.still()
        np.testing.assert_array_equal(self.whole(), self.photo)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(len(measures.values(self.job.job, self.map)), 2)

    def test_a_point_is_dragged_on_the_photo_and_more_measures_are_shown(self):
        self.open()
        measure = measures.BY_ID["chin_down"]
        at = measures.handle(measure, self.map, "")
        QTest.mouseClick(self.panel.rows["chin_down"], Qt.MouseButton.LeftButton, pos=QPoint(4, 4))
        self.assertEqual(self.part.picked, "chin_down")
        self.canvas.centre_on(*at, 1.0)
        self.settle()
        way = measures.way(measure, self.map, "")
        end = at + 0.02 * self.map.width_px * way
        self.drag([tuple(at), tuple((at + end) / 2), tuple(end)])
        self.still()
        value = measures.values(self.job.job, self.map)["chin_down", ""]
        self.assertAlmostEqual(value, 2.0, delta=0.15)
        np.testing.assert_allclose(self.warp.to_above(at[None])[0], end, atol=1.0)
        self.assertFalse(self.panel.rows["hairline"].isVisible())
        self.panel.more.click()
        self.assertTrue(self.panel.rows["hairline"].isVisible())

    def test_zones_are_held_by_a_switch_and_hatched(self):
        self.open()
        eye = self.map.mesh_px[159]
        self.panel.zones["eyes"].click()
        self.still()
        self.assertTrue(self.panel.zones["eyes"].isChecked())
        self.assertIsNotNone(self.part._hatch)
        self.brush("push", size_px=160, flow=1.0)
        self.drag([(eye[0], eye[1] + 40), (eye[0] + 14, eye[1] + 40)])
        self.assertLess(np.abs(self.moved(eye)).max(), 0.02)
        self.panel.zones["eyes"].click()
        self.still()
        self.assertFalse(self.panel.zones["eyes"].isChecked())
        self.assertGreater(np.abs(self.moved(eye)).max(), 0.2)

    def test_without_a_face_there_are_no_measures(self):
        self.take(session_of(np.full((300, 400, 3), 30000, np.uint16)))
        self.key(Qt.Key.Key_7)
        self.part = self.desk.part
        self.still()
        panel = self.desk.part.list_panel
        self.assertTrue(panel.empty.isVisible())
        self.assertFalse(panel.scroll.isVisible())
        self.brush("push", size_px=100, flow=1.0)
        self.drag([(200, 150), (212, 150)])
        self.assertGreater(self.moved((200, 150))[0], 2)


@functools.cache
def lined() -> Face:
    """Half a plate before a wall with lines, with a gap between two teeth."""
    plate = make_plate(on_ground(load_sitter("tilda"), "lines", 5), 5, flaws={"tooth_gap": 1})
    photo = cv2.resize(plate.photo, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    face = made_face("tilda", scale=0.5)
    measures_of_it = PhotoMeasures(Photo(Picture(photo), b"", "photo"), face.measures.face)
    return Face(photo, photo, face.zones, tuple(plate.flaws), measures_of_it)


class BehindTest(ShapeCase):
    def test_a_line_that_bends_is_named_with_a_button_that_holds_it(self):
        self.open(lined())
        self.wait(lambda: bool(self.part.lines))
        line = max(self.part.lines, key=lambda one: max(np.hypot(*np.subtract(*part)) for part in one.parts))
        start, end = max(line.parts, key=lambda ends: np.hypot(*np.subtract(*ends)))
        middle = (np.array(start) + end) / 2
        across = np.array([-(end[1] - start[1]), end[0] - start[0]])
        across = 14 * across / np.hypot(*across)
        self.desk.state.other_side = False
        self.brush("push", size_px=150, flow=1.0, ceiling=1.0)
        self.drag([tuple(middle), tuple(middle + across / 2), tuple(middle + across)])
        self.still()
        note = self.part.note
        self.assertTrue(note.isVisible())
        self.assertIn("px", note.text.text())
        QTest.mouseClick(note.button, Qt.MouseButton.LeftButton)
        self.still()
        bend = next(one for one in self.part.moves.bends if one.name == line.name)
        self.assertLess(bend.px, 0.5)
        self.part.panel.hold_all.click()
        self.still()
        self.assertFalse(note.isVisible())
        self.assertFalse(self.part.panel.hold_all.isEnabled())
        self.key(Qt.Key.Key_Z)
        self.still()
        self.brush("straighten")
        self.drag([start, end])
        self.still()
        self.assertEqual(self.job.stage.layers[-1].edits[-1].tool, "straighten")

    def test_a_gap_between_teeth_is_closed_by_stretching_one(self):
        face = lined()
        self.open(face)
        flaw = face.flaws[0]
        x0, y0, x1, y1 = (0.5 * v for v in flaw.extra["tooth"])
        gap = 0.5 * flaw.extra["gap_px"]
        self.canvas.centre_on(x0, y0, 4.0)
        self.settle()
        self.desk.brush_strip.choose("stretch")
        self.drag([(x0, y0 - 3), (x1 - 3, y0 - 3), (x1 - 3, y1), (x0, y1 + 1), (x0, y0 - 2)])
        self.assertIsNotNone(self.part.piece.corners)
        middle = (y0 + y1) / 2
        self.drag([(x0, middle), (x0 - 0.4 * gap, middle), (x0 - 0.8 * gap, middle)])
        self.still()
        edit = self.job.stage.layers[-1].edits[-1]
        self.assertEqual(edit.tool, "stretch")
        self.assertAlmostEqual(self.moved((x0, middle))[0], -0.8 * gap, delta=0.8)
        self.assertLess(abs(self.moved((x1 + 2, middle))[0]), 0.3)
        column = self.photo[int(middle) - 2 : int(middle) + 3, int(x0 - gap) : int(x0)].mean()
        now = self.whole()[int(middle) - 2 : int(middle) + 3, int(x0 - gap) : int(x0)].mean()
        self.assertGreater(now, 1.2 * column)
        self.key(Qt.Key.Key_Escape)
        self.assertIsNone(self.part.piece.corners)

    def test_the_stretch_lamp_tints_what_is_pulled_and_pressed(self):
        self.open()
        place = self.map.mesh_px[187]
        self.desk.state.other_side = False
        self.brush("push", size_px=160, flow=1.0, ceiling=1.0)
        self.drag([(place[0] + dx, place[1]) for dx in (0, 10, 18)])
        self.canvas.centre_on(*place, 1.0)
        self.desk.lamps.choose("stretch")
        self.settle()
        pressed, pulled = self.shown(place[0] + 50, place[1]), self.shown(place[0] - 40, place[1])
        self.assertGreater(pressed[2], pressed[0] + 10)
        self.assertGreater(pulled[0], pulled[2] + 10)


class ReviewTest(ShapeCase):
    def test_before_can_be_the_photo_moved_alike(self):
        self.open()
        place = self.map.mesh_px[187]
        self.brush("push", size_px=160, flow=1.0, ceiling=1.0)
        self.drag([(place[0] + dx, place[1]) for dx in (0, 10, 18)])
        self.window.show_screen("review")
        review = self.window.screens["review"]
        self.wait(review.canvas.ready)

        def differ() -> int:
            """Between the two that are compared, in the tile on which the cheek lies."""
            self.wait(review.canvas.ready)
            level = review.canvas.level
            tile = (level, int(place[0]) >> (8 + level), int(place[1]) >> (8 + level))
            both = (review.canvas.store.image(*tile, before=before).pixels.astype(int) for before in (True, False))
            return int(np.abs(np.subtract(*both)).max())

        self.assertGreater(differ(), 20)
        self.assertTrue(review.alike.isVisible())
        review.alike.click()
        self.assertEqual(differ(), 0)
        review.alike.click()
        self.assertGreater(differ(), 20)
