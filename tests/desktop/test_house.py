"""What the house promises on the desk: lamps over everything, gauges of the newest job only, memory that is let go."""

import tempfile
import threading
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from lather.core.brush.growing import GrowingPlane
from lather.core.brush.values import Brush
from lather.core.deliver.export import Output
from lather.core.engine.live import LiveStroke
from lather.core.imageio.read import read_picture
from lather.core.job.commands import SetFaceMap, SetStage
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.job.model import Stroke, freeze_points, new_id
from lather.core.lamps.registry import LAMPS, PLAIN
from lather.core.memory import Budget
from lather.core.recent import Recent
from lather.core.types import Rect
from lather.desktop.controls.beside import gauging, photo_measuring
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase


class LampTest(WindowCase):
    def test_a_lamp_shows_the_picture_as_it_is_also_where_the_last_stage_is_off(self):
        self.take(session_of(skin_like(400, 600)))
        self.job.do(SetStage("finish", "on", False))
        self.job.do(SetStage("finish", "strength", 0.3))
        before = self.job.job
        self.desk.lamps.choose("texture")
        self.wait(self.canvas.ready)
        shown = [self.shown(x, 200) for x in range(200, 400, 20)]
        self.assertAlmostEqual(np.mean(shown), 127, delta=6)  # texture alone, around middle grey
        self.assertIs(self.job.job, before)
        self.key(Qt.Key.Key_V)
        self.wait(self.canvas.ready)
        self.assertGreater(self.shown(300, 200)[0], 160)

    def test_the_lamps_go_round_by_key_and_their_buttons_say_so(self):
        self.take(session_of(skin_like(300, 400)))
        seen = []
        for _ in range(len(LAMPS) + 2):
            seen.append(self.desk.lamps.value)
            self.key(Qt.Key.Key_C)
        self.assertEqual(seen, ["plain", *LAMPS, "plain"])

    def test_a_lamp_is_as_strong_as_the_person_sets_it_and_each_keeps_its_own(self):
        self.take(session_of(skin_like(400, 600)))
        self.desk.lamps.buttons["grey"].click()
        slider = self.desk.lamps.strengths["grey"]
        self.assertTrue(slider.isVisible())
        values = []
        for mix in (0, 100):
            slider.set_value(mix, tell=True)
            self.wait(self.canvas.ready)
            values.append(np.mean([self.shown(x, 200) for x in range(200, 400, 20)]))
        self.assertGreater(values[0], values[1] + 40)  # red of skin is far lighter than its blue
        self.desk.lamps.choose("blotch")
        self.assertFalse(slider.isVisible())
        self.desk.lamps.choose("grey")
        self.assertEqual(slider.value, 100)

    def test_under_every_lamp_one_paints_and_nothing_of_it_is_delivered(self):
        self.take(session_of(skin_like(400, 600)))
        delivered = []
        for lamp_id in (PLAIN, *(one for one in LAMPS if one != "parts")):  # under that one the pen is for the parts
            self.desk.lamps.choose(lamp_id)
            self.desk.brush_strip.choose("sweep")
            self.wait(self.canvas.ready)
            self.drag([(200, 200), (260, 210), (320, 200)])
            self.wait(lambda: self.desk.idle() and self.canvas.ready())
            self.assertEqual(len(self.job.layer.edits), 1, lamp_id)
            with tempfile.TemporaryDirectory() as folder:
                self.job.session.export(Path(folder) / "out.png", Output())
                delivered.append(read_picture(Path(folder) / "out.png").pixels)
            self.job.undo()
        for other in delivered[1:]:
            np.testing.assert_array_equal(other, delivered[0])


class NewestTest(WindowCase):
    gauges = True

    def test_a_gauge_of_an_older_job_never_stands_over_a_newer_one(self):
        gate, measured_jobs = threading.Event(), []

        def slow(engine, job, measures, go_on, stage_id):
            measured_jobs.append(job)
            gate.wait(5)
            return {"keepers": (len(measured_jobs), 9), "left": []}

        with mock.patch.object(gauging, "measured_on_desk", slow):
            self.take(session_of(skin_like(400, 600)))
            told = []
            self.desk.gauging.gauged.connect(told.append)
            self.click(200, 200)
            self.wait(lambda: len(measured_jobs) == 1)
            self.click(300, 200)
            self.pump(0.5)
            gate.set()
            self.wait(self.desk.gauging.idle)
        self.assertIs(measured_jobs[-1], self.job.job)
        self.assertEqual([values for values in told if values], [{"keepers": (len(measured_jobs), 9), "left": []}])

    def test_a_gauge_that_fails_says_so(self):
        with mock.patch.object(gauging, "measured_on_desk", side_effect=ValueError("out of order")):
            self.take(session_of(skin_like(400, 600)))
            self.click(200, 200)
            self.wait(self.desk.gauging.idle)
        self.assertIn("out of order", self.window.notice.text())

    def test_a_face_dragged_while_the_photo_is_measured_is_measured_next(self):
        gate, asked = threading.Event(), []

        def slow(task, photo, job):
            asked.append(job.face_map)
            gate.wait(5)

        with mock.patch.object(photo_measuring, "_measure", slow):
            self.take(session_of(skin_like(400, 600)))
            self.desk.measured.ask()
            face = FaceMap({name: (200.0 + 20 * n, 100.0 + 9 * n) for n, name in enumerate(POINTS)})
            self.job.do(SetFaceMap(face))
            self.desk.measured.ask()
            gate.set()
            self.wait(self.desk.measured.idle)
        self.assertEqual(asked, [None, face])


class MemoryTest(WindowCase):
    def test_the_shares_of_the_limit_add_up_and_each_cache_keeps_its_own(self):
        budget = Budget(1000)
        shares = ("tiles", "patches", "display", "maps", "moves", "cells")
        self.assertEqual(sum(budget.share(of) for of in shares), 1000)
        held = Recent(100, len)
        for number in range(40):
            held.put(number, b"0123456789")
            held.get(0)
        self.assertEqual((held.used, len(held), 0 in held, 1 in held), (100, 10, True, False))
        held.put(0, b"x")
        self.assertEqual(held.used, 91)
        held.clear()
        self.assertEqual((held.used, len(held)), (0, 0))

    def test_a_plane_grows_to_where_it_is_used_and_keeps_what_is_there(self):
        plane = GrowingPlane(Rect(0, 0, 6000, 4000))
        plane.view(Rect(1000, 1000, 1010, 1010))[:] = 3
        self.assertLess(plane.values.shape[0], 2600)
        plane.view(Rect(2400, 1500, 2420, 1510))[:] = 5
        self.assertTrue((plane.cut(Rect(1000, 1000, 1010, 1010)) == 3).all())
        self.assertEqual(plane.cut(Rect(2395, 1500, 2425, 1510)).sum(), 5 * 200)
        self.assertTrue((plane.cut(Rect(5000, 3000, 5010, 3010)) == 0).all())

    def test_a_short_stroke_on_a_large_photo_holds_little(self):
        session = session_of(skin_like(3000, 4000, dtype=np.uint8))
        layer = session.job.stage("mend").layers[0]
        stroke = Stroke(new_id(), "carry", Brush(size_px=60), freeze_points([[900, 900, 1, 0]]), (80, 40))
        live = LiveStroke(session.engine, session.job, "mend", layer.id, stroke)
        live.extend(np.array([[900, 900, 1, 0], [960, 930, 1, 0.1]], np.float32))
        edit = live._edit
        planes = (edit._coverage, edit._delta, edit._known._plane)
        used = sum(plane.used.width * plane.used.height * 4 * (plane._channels or 1) for plane in planes)
        self.assertLess(used, 12 * 2**20)  # the rest of them is never touched, so it takes no memory
        self.assertLess(sum(plane.values.nbytes for plane in planes), 300 * 2**20)

    def test_tables_of_layers_that_are_gone_are_let_go(self):
        session = session_of(skin_like(300, 400))
        kind = session.engine.kinds["mend"]
        for _ in range(300):
            job = session.job
            layer = job.stage("mend").layers[0]
            job = job.with_stage(job.stage("mend").__class__("mend", layers=(layer.__class__(
                new_id(), "Short-lived", edits=(Stroke(new_id(), "copy", Brush(), freeze_points([[90, 90, 1, 0]]),
                                                       (40, 0)),)),)))
            session.engine.tile_key(job, None, 0, 0, 0)
        self.assertLessEqual(len(kind._orders), 128)
        self.assertLessEqual(len(kind._boxes), 128)


class TitleTest(WindowCase):
    def test_open_save_as_and_recent_files_stand_behind_the_title(self):
        self.take(session_of(skin_like(300, 400)))
        QTest.mouseClick(self.window.header.title, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
        words = [action.text() for action in self.window.header.open_menu.actions() if action.text()]
        self.window.header.open_menu.close()
        self.assertEqual(words[:3], ["Photo or job …", "A sitting: a folder of photos …", "Demo job"])
        self.assertEqual(words[-3:], ["Save the job", "Save under another name …", "The photo developed again …"])
