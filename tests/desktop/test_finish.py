"""Crisp and Finish in the real window; and a portrait taken through all ten stages by mouse and keys."""

import cv2
import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core.colour.lab import srgb_to_lab
from lather.core.engine.engine import faces_of
from lather.core.gauges.registry import measured_on_desk
from lather.core.imageio.read import read_picture
from lather.core.job.face_mesh import LIPS_OUTER
from lather.core.job.limits import band
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.people.guard import Guard
from tests.desktop.test_colour import ColourCase, ring
from tests.support.sets import for_release


class FinishCase(ColourCase):
    stage_key = Qt.Key.Key_0


def send(widget, kind, at: QPointF, down: bool = True) -> None:
    button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
    held = Qt.MouseButton.LeftButton if down else Qt.MouseButton.NoButton
    QApplication.sendEvent(widget, QMouseEvent(kind, at, widget.mapToGlobal(at), button, held,
                                               Qt.KeyboardModifier.NoModifier))


def pull(widget, start: QPointF, end: QPointF) -> None:
    send(widget, QEvent.Type.MouseButtonPress, start)
    for share in (0.5, 1.0):
        send(widget, QEvent.Type.MouseMove, start + (end - start) * share)
    send(widget, QEvent.Type.MouseButtonRelease, end, False)


class CurveTest(FinishCase):
    def test_all_start_neutral_and_a_point_on_the_curve_brightens_what_it_stands_for(self):
        self.open()
        box = self.take_kind("tone")
        np.testing.assert_array_equal(self.whole(), self.photo)
        curve = box.curve
        self.wait(lambda: curve.histogram is not None)
        pull(curve, curve.place(0.5, 0.5), curve.place(0.5, 0.62))
        self.still()
        points = self.layer.settings["curve"]
        self.assertEqual(len(points), 3)
        self.assertAlmostEqual(points[1][1], 0.62, delta=0.02)
        light = [srgb_to_lab(p)[..., 0] for p in (self.photo, self.whole())]
        middle = np.abs(light[0] - 50) < 1
        self.assertAlmostEqual(float((light[1] - light[0])[middle].mean()), 12, delta=1.5)
        curve.setFocus()
        QTest.keyClick(curve, Qt.Key.Key_Down)
        self.assertLess(self.layer.settings["curve"][1][1], points[1][1])
        self.assertIn("L* 50 to", curve.accessibleName())
        pull(curve, curve.place(*curve.points[1]), QPointF(curve.width() + 60, -60))  # out of the box: it goes
        self.still()
        self.assertEqual(len(self.layer.settings["curve"]), 2)
        np.testing.assert_array_equal(self.whole(), self.photo)

    def test_what_is_picked_as_neutral_is_grey_and_skin_is_no_grey_card(self):
        self.open()
        self.take_kind("tone")
        self.tool("pick")
        lab = srgb_to_lab(np.clip(self.photo, 0, 1))
        chroma = np.hypot(cv2.blur(lab[..., 1], (9, 9)), cv2.blur(lab[..., 2], (9, 9)))
        chroma[(lab[..., 0] < 25) | (lab[..., 0] > 90)] = 99
        chroma[:20] = chroma[-20:] = 99
        chroma[:, :20] = chroma[:, -20:] = 99
        y, x = np.unravel_index(int(np.argmin(np.abs(chroma - 6))), chroma.shape)
        self.click(float(x), float(y))
        self.still()
        after = srgb_to_lab(np.clip(self.whole()[y - 3 : y + 4, x - 3 : x + 4], 0, 1)).reshape(-1, 3)
        self.assertLess(float(np.hypot(*np.median(after, axis=0)[1:])), 1.0)
        self.assertIn("grey now", self.desk.messages.text())
        held = dict(self.layer.settings)
        mesh = self.map.mesh_px[list(LIPS_OUTER)].mean(0)
        around = np.s_[int(mesh[1]) - 30 : int(mesh[1]) + 30, int(mesh[0]) - 30 : int(mesh[0]) + 30]
        colour = np.hypot(cv2.blur(lab[..., 1], (9, 9)), cv2.blur(lab[..., 2], (9, 9)))[around]
        self.assertGreater(float(colour.max()), 29)
        down, right = np.unravel_index(int(colour.argmax()), colour.shape)
        self.click(float(mesh[0] - 30 + right), float(mesh[1] - 30 + down))
        self.still()
        self.assertEqual(self.layer.settings, held)
        self.assertIn("no grey", self.desk.messages.text())

    def test_sliders_count_as_one_step_while_dragged_and_the_list_says_what_was_set(self):
        self.open()
        box = self.take_kind("tone")
        slider = box.controls["exposure"]
        pull(slider, QPointF(slider.width() / 2, 28), QPointF(0.7 * slider.width(), 28))
        self.still()
        self.assertGreater(self.layer.settings["exposure"], 0.5)
        self.assertIn("stop", self.part.list.rows["tone"].says)
        self.assertGreater(float((self.whole() - self.photo).mean()), 0.03)
        self.key(Qt.Key.Key_Z)
        np.testing.assert_array_equal(self.whole(), self.photo)


class PoolTest(FinishCase):
    def test_either_rim_is_pulled_on_the_photo_and_the_light_follows(self):
        self.open()
        self.take_kind("pool")
        self.assertEqual(self.desk.state.tool, "pool_rim")
        self.part.box["pool"].controls["outside"].set_value(-0.8, tell=True)
        self.canvas.fit()
        self.still()
        shape = self.layer.settings["shape"]
        x, y = shape["inner"][0]  # at the right
        before = self.whole()[int(y), int(x) + 30].mean()
        self.drag([(x, y), (x + 30, y), (x + 60, y)])
        self.still()
        moved = self.layer.settings["shape"]
        self.assertAlmostEqual(moved["inner"][0][0] - x, 60, delta=8)
        self.assertEqual(moved["outer"], shape["outer"])
        self.assertGreater(self.whole()[int(y), int(x) + 30].mean(), before + 0.003)
        self.drag([tuple(moved["inner"][4]), (moved["inner"][4][0], moved["inner"][4][1] + 40)])
        self.assertGreater(self.layer.settings["shape"]["inner"][4][1], moved["inner"][4][1] + 25)
        self.key(Qt.Key.Key_Z)
        self.assertEqual(self.layer.settings["shape"], moved)


class OthersTest(FinishCase):
    def test_tints_are_picked_the_ground_is_evened_and_colour_taken_out_through_masks(self):
        self.open()
        self.take_kind("tints")
        self.part.box["tints"].controls["lights_chroma"].set_value(5, tell=True)
        self.assertIn("1 of 3", self.part.list.rows["tints"].says)
        self.take_kind("background")
        ground, person = self.face.zones == 0, self.face.zones == 1
        self.part.box["background"].controls["light"].set_value(-1.0, tell=True)
        self.still()
        darker = (self.whole() - self.photo).mean(-1)
        self.assertLess(float(darker[ground].mean()), -0.05)
        self.assertGreater(float(darker[person].mean()), -0.02)
        self.take_kind("mono")
        self.still()
        self.assertLess(float(np.ptp(self.whole()[::7, ::7], axis=-1).max()), 0.01)
        self.assertEqual(self.part.list.count.text(), "3 in use")
        self.assertEqual(len(self.job.job.stage("finish").layers), 3)


class CrispTest(ColourCase):
    stage_key = Qt.Key.Key_9

    def test_proposals_are_layers_at_half_strength_and_passes_build_up_by_hand(self):
        self.open()
        QTest.mouseClick(self.part.proposals.buttons["eyes"], Qt.MouseButton.LeftButton)
        self.still()
        self.assertEqual((self.layer.name, self.layer.strength), ("Eyes", 0.5))
        where = self.changed > 0.004
        self.assertGreater(where.sum(), 20)
        self.assertGreater(float(np.isin(self.face.zones[where], (4, 5, 7, 1)).mean()), 0.95)
        self.assertEqual(float(self.changed[self.face.zones == 8].max()), 0.0)
        self.assertIn("laid", self.part.proposals.buttons["eyes"].text())
        QTest.mouseClick(self.part.proposals.buttons[""], Qt.MouseButton.LeftButton)
        self.still()
        x, y = self.map.points["mouth_left"]
        self.desk.state.change(size_px=60, flow=0.05, edge=0.5)
        spread = []
        for _ in range(2):
            self.drag([(x, y), (x + 40, y + 4)])
            spread.append(float(self.changed[int(y) - 10 : int(y) + 10, int(x) : int(x) + 40].mean()))
        self.assertGreater(spread[0], 0)
        self.assertGreater(spread[1], 1.2 * spread[0])


@for_release
class WholeCourseTest(ColourCase):
    """One portrait through all ten stages, by mouse and keys, and delivered."""

    stage_key = Qt.Key.Key_1

    def test_from_the_photo_to_the_delivered_picture_with_its_gauges_inside_the_bands(self):
        self.open()
        session = self.job.session
        people = PhotoMeasures.of_job(session.photo, session.job).people  # as the window reads it beside
        self.desk.measured.guard = Guard.of(people, faces_of(session.job), session.photo.bounds)
        self.desk._measured()
        face, width = self.map, self.map.width_px
        nose, chin = face.points["nose_tip"], face.points["chin"]
        self.click(nose[0] - 0.2 * width, nose[1] + 0.05 * width)  # Mend: a Dab
        self.key(Qt.Key.Key_2)
        self.tool("dab")
        self.click(60, 120)  # Strands
        self.key(Qt.Key.Key_3)
        self.still()
        self.tool("area")
        self.drag(ring(nose[0] - 70, nose[1] + 10, 24, 18))  # Split
        self.key(Qt.Key.Key_4)
        self.wait(self.desk.part.idle, 90)
        self.drag([(nose[0] + 50, nose[1] - 10), (nose[0] + 80, nose[1] - 8)])  # Even: Lift
        self.key(Qt.Key.Key_5)
        self.wait(self.desk.part.idle, 90)
        self.drag([(nose[0], nose[1] - 120), (nose[0] + 4, nose[1] - 70)])  # Sculpt: Light
        self.key(Qt.Key.Key_6)
        self.still()
        self.part = self.desk.part
        self.take_kind("whiten")
        self.key(Qt.Key.Key_7)
        self.still()
        self.desk.state.change(size_px=120, flow=0.3, ceiling=0.5)
        self.drag([(chin[0] - 100, chin[1] - 30), (chin[0] - 96, chin[1] - 32)])  # Shape: Push
        self.key(Qt.Key.Key_8)
        self.desk.measured.grain = self.face.measures.grain  # else it would be measured beside the window
        self.desk.part.show_job()
        QTest.mouseClick(self.desk.part.panel.everywhere, Qt.MouseButton.LeftButton)  # Grain
        self.still()
        self.key(Qt.Key.Key_9)
        self.still()
        self.part = self.desk.part
        QTest.mouseClick(self.part.proposals.buttons["eyes"], Qt.MouseButton.LeftButton)
        self.still()
        self.key(Qt.Key.Key_0)
        self.still()
        self.part = self.desk.part
        box = self.take_kind("tone")
        box.controls["contrast"].set_value(6, tell=True)
        self.still()
        job, session = self.job.job, self.job.session
        used = [stage.id for stage in job.stages if any(layer.edits or layer.settings for layer in stage.layers)]
        self.assertEqual(len(used), 10, used)
        for stage_id in ("mend", "colour", "finish"):
            values = measured_on_desk(session.engine, job, self.face.measures, stage_id=stage_id)
            for name, value in values.items():
                if name not in ("keepers", "left") and value is not None:
                    limits = band(None, name)
                    self.assertFalse(limits.state(value), f"{name} {value}")
        whole = self.whole()
        self.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)  # Deliver
        out = read_picture(self.deliver("portrait", format="PNG", profile="own", sharpen=False)).pixels
        self.assertEqual(out.shape, whole.shape)
        scale = np.iinfo(out.dtype).max
        self.assertLess(float(np.abs(out / scale - np.clip(whole, 0, 1)).mean()), 0.004)


if __name__ == "__main__":
    import unittest

    unittest.main()
