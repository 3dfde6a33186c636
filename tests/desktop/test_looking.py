"""Ways of looking: mirrored, at the delivered size, the tour from zone to zone, a pinned patch of skin."""

import numpy as np
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QImage

from lather.core.brush.values import Brush
from lather.core.job.commands import AddEdits
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.tour import tour_stops
from lather.core.types import Rect
from tests.support.faces import made_face
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase


def pixels_of(canvas) -> np.ndarray:
    image = canvas.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    data = np.frombuffer(image.constBits().asstring(image.sizeInBytes()), np.uint8)
    return data.reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width(), :3].astype(int)


class MirrorTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(skin_like(500, 700)))
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(350, 250)
        self.settle()
        self.canvas._pointer = None

    def test_left_and_right_are_changed_round_and_the_brush_paints_where_the_pointer_is(self):
        plain = pixels_of(self.canvas)
        self.desk.lamps.choose("mirror")
        self.settle()
        mirrored = pixels_of(self.canvas)
        inside = slice(60, 400), slice(120, -120)
        off = np.abs(mirrored[:, ::-1][inside] - plain[inside])
        self.assertLess(off.mean(), 1.5)
        self.assertGreater(np.abs(mirrored[inside] - plain[inside]).mean(), 3)
        self.desk.brush_strip.choose("copy")
        self.desk.state.take(500, 100)
        self.drag([(300, 200), (320, 210)])
        edit = self.job.layer.edits[-1]
        np.testing.assert_allclose(edit.points[0, :2], (300, 200), atol=1)
        self.assertGreater(self.at(300, 200).x(), self.at(320, 200).x())

    def test_dragging_and_zooming_go_with_the_hand(self):
        self.desk.lamps.choose("mirror")
        view = self.canvas.view
        moved = view.moved(40, 0)
        self.assertAlmostEqual(moved.to_screen(350, 250)[0] - view.to_screen(350, 250)[0], 40)
        place = view.to_source(200, 100)
        np.testing.assert_allclose(view.zoomed(2.0, 200, 100).to_source(200, 100), place)
        self.desk.lamps.choose("plain")
        self.assertFalse(self.canvas.view.mirrored)


class DeliveredTest(WindowCase):
    def test_a_pixel_for_a_pixel_at_the_long_edge_and_back_again(self):
        self.take(session_of(skin_like(500, 800)))
        self.canvas.zoom_to(1.0)
        scale = self.canvas.view.scale
        self.desk.lamps.choose("delivered")
        self.desk.lamps.strengths["delivered"].set_value(400, tell=True)
        self.assertAlmostEqual(self.canvas.view.scale, 0.5)
        self.assertEqual(self.canvas.viewed(self.job.job), self.job.job)
        self.desk.lamps.choose("plain")
        self.assertAlmostEqual(self.canvas.view.scale, scale)

    def test_lamps_that_have_no_room_open_in_place(self):
        self.take(session_of(skin_like(300, 400)))
        lamps = self.desk.lamps
        lamps.fold(True)
        self.assertFalse(lamps.buttons["mirror"].isVisibleTo(lamps))
        self.assertRegex(lamps.more.text(), r"\+ \d")
        lamps.more.click()
        self.assertTrue(lamps.buttons["mirror"].isVisibleTo(lamps))
        lamps.fold(True)
        for _ in range(7):
            self.key(Qt.Key.Key_C)
        self.assertTrue(lamps.buttons[lamps.value].isVisibleTo(lamps))


class TourTest(WindowCase):
    def test_zone_by_zone_under_the_lamp_in_hand_and_what_was_seen_is_kept(self):
        session = made_face().session()
        self.take(session)
        self.desk.measured.ask()
        self.rest()
        tour, panel = self.desk.tour, self.desk.tours
        names = [stop.label for stop in tour.stops]
        self.assertEqual(names[:4], ["forehead", "eye, left", "eye, right", "nose"])
        self.assertIn("neck", names)
        self.assertEqual(panel.count.text(), f"0 of {len(names)} seen")
        self.assertIn("forehead", panel.next.text())
        self.desk.lamps.choose("grey")
        steps = session.history.position
        panel.next.click()
        self.settle()
        self.assertEqual(self.canvas.lamp, "grey")
        area, seen = tour.stops[0].area, self.canvas.view.visible(self.canvas.picture)
        self.assertTrue(seen.contains(area))
        panel.zoom.button("2.0").click()
        self.assertAlmostEqual(self.canvas.view.scale, 2.0)
        panel.next.click()
        self.assertAlmostEqual(self.canvas.view.scale, 2.0)
        self.assertEqual(panel.count.text(), f"2 of {len(names)} seen")
        self.assertEqual(session.history.position, steps)  # looking is no step
        for _ in names[2:]:
            panel.next.click()
        self.assertEqual(panel.next.text(), "Begin again")
        panel.next.click()
        self.assertEqual(panel.count.text(), f"1 of {len(names)} seen")

    def test_without_a_face_it_goes_over_the_picture_in_nine_parts(self):
        stops = tour_stops(None, Rect(0, 0, 900, 600))
        self.assertEqual(len(stops), 9)
        self.assertEqual(stops[0].area, Rect(0, 0, 300, 200))


class PinTest(WindowCase):
    def test_a_patch_of_the_photo_stays_beside_the_pointer_untouched_by_any_layer(self):
        self.take(session_of(skin_like(500, 700)))
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(350, 250)
        self.settle()
        self.desk.tours.pin.click()
        edits = self.job.job.edit_count
        self.canvas.zoom_to(0.4)
        self.click(-30, 260)  # beside the photo there is no skin to compare with
        self.assertEqual((self.desk.pin.place, self.desk.pin.choosing), (None, True))
        self.canvas.zoom_to(1.0)
        self.canvas.centre_on(350, 250)
        self.settle()
        self.click(420, 260)
        self.assertEqual(self.job.job.edit_count, edits)
        self.assertEqual(self.desk.pin.place, (420, 260))
        before = self.desk.pin._patch().copy()
        spot = Stroke(new_id(), "copy", Brush(size_px=160), freeze_points([[420, 260, 1, 0]]), (-200, 0))
        self.job.do(AddEdits("mend", self.job.layer.id, (spot,)))
        self.settle()
        self.assertEqual(self.desk.pin._patch(), before)
        self.mouse(QEvent.Type.MouseMove, 300, 200, down=False)
        self.pump()
        shown, at = pixels_of(self.canvas), self.at(300, 200)
        left = int(at.x() - min(self.desk.state.brush.size_px / 2, 120) - 26 - 76 / 2)
        colour = shown[int(at.y()), left]
        expected = 255 * self.job.session.photo.read(Rect(410, 250, 430, 270)).mean((0, 1))[::-1]
        np.testing.assert_allclose(colour, expected, atol=14)
        self.desk.tours.pin.click()
        self.assertIsNone(self.desk.pin.place)
