"""Ctrl-C at any moment: one line, exit code 130, nothing left, workers gone within two seconds."""

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.practice.make import make_plate
from tests.core.test_archive import ROOT
from tests.support.pictures import skin_like


def processes_of(group: int) -> list[int]:
    """Living processes of a group."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                fields = (entry / "stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            if int(fields[2]) == group and fields[0] != "Z":
                found.append(int(entry.name))
    return found


class InterruptTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls._folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls._folder.cleanup)
        cls.folder = Path(cls._folder.name)
        write_picture(cls.folder / "a.png", skin_like(700, 900, dtype="u1"), profile=srgb_profile())
        plate = make_plate("marlow", 1, flaws={"blemish_dark": 5}).photo[60:860, 400:1200]
        for name in ("b.png", "c.png"):
            write_picture(cls.folder / name, plate, profile=srgb_profile())

    def interrupted(self, arguments, delay: float) -> tuple[int, str, float]:
        """(exit code, what was said, seconds from Ctrl-C to the end of all its processes)."""
        process = subprocess.Popen(
            [ROOT / "lather", *arguments], cwd=self.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
            start_new_session=True, env=os.environ | {"LATHER_VENV": str(Path(sys.executable).parents[1])},
        )
        time.sleep(delay)
        asked = time.monotonic()
        os.killpg(process.pid, signal.SIGINT)
        _, said = process.communicate(timeout=20)
        while processes_of(process.pid) and time.monotonic() - asked < 10:
            time.sleep(0.02)
        return process.returncode, said, time.monotonic() - asked

    def check(self, arguments, delays) -> int:
        """How many of the runs were still going when they were interrupted."""
        before = sorted(p.name for p in self.folder.rglob("*"))
        stopped = 0
        for delay in delays:
            with self.subTest(arguments=arguments, delay=delay):
                code, said, seconds = self.interrupted(arguments, delay)
                if code == -signal.SIGINT:  # not even the launcher's first line was read
                    self.assertLess(delay, 0.1)
                    self.assertEqual(said, "")
                    continue
                self.assertIn(code, (0, 130), said)
                if code == 130:
                    stopped += 1
                    *before_it, last = said.splitlines()
                    self.assertEqual(last, "lather: stopped.")
                    for line in before_it:  # of many files: how far it was, and how it goes on
                        self.assertRegex(line, r"^\d of \d|^Stopped; \d of \d are done")
                    self.assertLess(seconds, 2.5)
                left = [p.name for p in self.folder.rglob("*") if ".part" in p.name]
                self.assertEqual(left, [])
                for path in self.folder.rglob("*"):
                    if path.is_file() and path.name not in before:
                        path.unlink()
        return stopped

    def test_while_it_starts_and_loads(self):
        # where much else runs, the shell itself is not there yet at the first ones, and those are not counted
        delays = (0.0, 0.005, 0.01, 0.02, 0.03, 0.05, 0.08, 0.12, 0.2, 0.3, 0.4, 0.5, 0.6)
        self.assertGreaterEqual(self.check(("info", "a.png"), delays), 7)

    def test_while_it_works(self):
        self.assertGreaterEqual(self.check(("auto", "b.png", "--out", "o.tif"), (0.6, 1.1, 1.7, 2.4)), 3)
        self.assertGreaterEqual(self.check(("practice", "make", "--sitter", "pip", "--out", "p"), (0.7, 1.4)), 1)

    def test_workers_end_with_it(self):
        (self.folder / "out").mkdir()
        many = ("auto", "b.png", "c.png", "--out", "out", "--jobs", "2")
        self.assertGreaterEqual(self.check(many, (0.9, 2.2, 3.4)), 2)

    def test_a_window_closes_and_keeps_what_was_not_saved(self):
        state = self.folder / "state"
        process = subprocess.Popen(
            [ROOT / "lather", "open", "a.png"], cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
            text=True, start_new_session=True,
            env=os.environ | {"LATHER_VENV": str(Path(sys.executable).parents[1]), "QT_QPA_PLATFORM": "offscreen",
                              "XDG_STATE_HOME": str(state)},
        )
        end = time.monotonic() + 20
        while not list(state.rglob("*.journal")) and time.monotonic() < end:
            time.sleep(0.1)
        time.sleep(0.5)
        os.killpg(process.pid, signal.SIGINT)
        said = process.communicate(timeout=10)[1]
        told = [line for line in said.splitlines() if "plugin" not in line]
        self.assertEqual((process.returncode, told), (130, ["lather: stopped."]))

    def test_killed_outright_it_leaves_no_workers(self):
        process = subprocess.Popen(
            [sys.executable, "-m", "lather", "auto", "b.png", "c.png", "--out", "gone", "--jobs", "2"],
            cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
            env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
        )
        time.sleep(2.5)
        process.kill()
        process.wait()
        end = time.monotonic() + 10
        while processes_of(process.pid) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertEqual(processes_of(process.pid), [])
