"""A real window process killed in the middle of a stroke loses that stroke and nothing else."""

import os
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.journal.journal import leftovers
from lather.core.session import Session
from tests.support.killing import kill_once
from tests.support.pictures import skin_like
from tests.support.sets import some

ROOT = Path(__file__).parents[2]
PAINTER = """
import sys, time
from PyQt6.QtCore import QEvent
from tests.support.window_case import WindowCase
class Painter(WindowCase):
    def runTest(self):
        self.window.open_path(sys.argv[1])
        self.settle()
        self.canvas.zoom_to(1.0)
        self.settle()
        for x in (100, 160, 220):
            self.click(x, 150)
        session = self.window.job.session
        import numpy as np
        np.save(sys.argv[2], session.engine.pixels(session.job, session.photo.bounds))
        self.desk.state.take(60, 60)
        self.desk.brush_strip.choose("carry")
        self.mouse(QEvent.Type.MouseButtonPress, 250, 200)
        self.mouse(QEvent.Type.MouseMove, 270, 210)
        self.pump(0.3)
        print("painting", flush=True)
        while True:
            self.pump(0.1)
case = Painter()
case.setUp()
case.runTest()
"""
SCALED = """
import sys
import numpy as np
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase
class Scaled(WindowCase):
    def runTest(self):
        pixels = skin_like(600, 800)
        pixels[300:310, 400:410] = (60000, 0, 0)
        self.take(session_of(pixels))
        assert self.canvas.devicePixelRatioF() == 2, self.canvas.devicePixelRatioF()
        self.canvas.zoom_to(1.0)
        self.settle()
        # 100 % means device pixels: 10 px of the photo are 5 logical px wide
        image = self.canvas.grab().toImage()
        assert image.width() == 2 * self.canvas.width()
        x, y = (round(v) for v in self.canvas.view.to_screen(400, 300))
        inside = [image.pixelColor(x + d, y + d) for d in range(10)]
        assert all(colour.red() > 220 and colour.green() < 9 for colour in inside)
        assert image.pixelColor(x + 11, y + 5).green() > 60
        self.click(405, 305)
        place = self.window.job.layer.edits[0].points[0]
        np.testing.assert_allclose(place[:2], (405, 305), atol=0.3)
        print("good", flush=True)
case = Scaled()
case.setUp()
case.runTest()
"""


class ProcessCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def start(self, code: str, *arguments, **env) -> subprocess.Popen:
        return subprocess.Popen(
            [sys.executable, "-c", code, *map(str, arguments)],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, cwd=ROOT,
            env=os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "QT_QPA_PLATFORM": "offscreen"} | env,
        )


class KilledWindowTest(ProcessCase):
    def test_killed_during_a_stroke(self):
        photo, pixels = self.folder / "photo.png", self.folder / "pixels.npy"
        write_picture(photo, skin_like(), profile=srgb_profile())
        process = self.start(PAINTER, photo, pixels, XDG_STATE_HOME=str(self.folder / "state"))
        self.assertEqual(process.stdout.readline().strip(), "painting", process.poll())
        process.send_signal(signal.SIGKILL)
        process.communicate()
        found = leftovers(self.folder / "state" / "lather" / "journals")
        self.assertEqual([item.steps for item in found], [3])
        session = Session.from_photo(found[0].photo)
        session.history = found[0].replay(None)
        after = session.engine.pixels(session.job, session.photo.bounds)
        np.testing.assert_array_equal(after, np.load(pixels))

    def test_killed_at_random_moments_and_during_saves(self):
        """benchmarks/kill_window.py does this a hundred times."""
        photo = self.folder / "photo.png"
        write_picture(photo, skin_like(), profile=srgb_profile())
        for seed in some(range(4), 2):
            folder = self.folder / str(seed)
            folder.mkdir()
            (least, most), back, left = kill_once(folder, photo, seed)
            self.assertTrue(least <= back <= most, (least, back, most))
            self.assertEqual(left, [])


class ScaledDisplayTest(ProcessCase):
    def test_a_display_with_two_device_pixels_for_one(self):
        process = self.start(SCALED, QT_SCALE_FACTOR="2")
        out, errors = process.communicate(timeout=60)
        self.assertEqual(out.strip(), "good", errors[-2000:])


class InstallTest(ProcessCase):
    def test_menu_entry_and_file_type_come_and_go(self):
        env = os.environ | {"HOME": str(self.folder), "XDG_DATA_HOME": str(self.folder / "share")}
        subprocess.run([ROOT / "lather", "install"], env=env, check=True, capture_output=True)
        entry = (self.folder / "share/applications/lather.desktop").read_text()
        self.assertIn(f'Exec="{ROOT}/lather" open %f', entry)
        self.assertIn("application/x-lather", entry)
        self.assertIn("*.lather", (self.folder / "share/mime/packages/lather.xml").read_text())
        self.assertTrue((self.folder / ".local/bin/lather").exists())
        done = subprocess.run([self.folder / ".local/bin/lather", "--version"], env=env, capture_output=True, text=True)
        self.assertIn("Lather", done.stdout)
        subprocess.run([ROOT / "lather", "install", "--remove"], env=env, check=True, capture_output=True)
        left = [p for p in self.folder.rglob("*lather*") if p.is_file() and "cache" not in p.name]
        self.assertEqual(left, [])
