"""The command line as a person runs it: real files, and of each command one real process; what is refused is refused
by the same code in this one."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import cv2
import numpy as np

from lather.core.imageio.read import read_picture
from lather.core.imageio.write import write_picture
from lather.core.practice.make import make_plate
from lather.core.session import Session
from tests.core.test_archive import worked
from tests.support.commands import run_here, said_here

ROOT = Path(__file__).parents[2]


class CommandTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def lather(self, *arguments, **env) -> subprocess.CompletedProcess:
        display = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        environment = {key: value for key, value in os.environ.items() if key not in display}
        return subprocess.run(
            [sys.executable, "-m", "lather", *map(str, arguments)], capture_output=True, text=True, cwd=self.folder,
            env=environment | {"PYTHONPATH": str(ROOT / "src")} | env, timeout=120,
        )

    def refused(self, *arguments) -> str:
        """What a process of its own says to a wrong command."""
        done = self.lather(*arguments)
        return self.one_sentence(done.returncode, done.stderr)

    def refused_here(self, *arguments) -> str:
        return self.one_sentence(*said_here(self.folder, *arguments))

    def one_sentence(self, code: int, said: str) -> str:
        self.assertEqual(code, 2, said)
        self.assertNotIn("Traceback", said)
        self.assertEqual(len(said.strip().splitlines()), 1, said)
        return said

    def test_what_is_refused_at_once_reads_no_library_that_takes_long(self):
        """Half a second from the Enter key to the sentence: most of it would go into libraries it has no use for."""
        done = subprocess.run([sys.executable, "-X", "importtime", "-m", "lather", "info", "nothere.png"],
                              capture_output=True, text=True, cwd=self.folder, env=os.environ | {
                                  "PYTHONPATH": str(ROOT / "src")}, timeout=60)
        read = {line.rpartition("|")[2].strip() for line in done.stderr.splitlines() if line.startswith("import time:")}
        self.assertEqual(done.returncode, 2)
        self.assertIn("lather.core.session", read)
        slow = {"numba", "llvmlite", "PyQt6",
                *(f"scipy.{name}" for name in ("interpolate", "spatial", "optimize", "sparse", "ndimage", "linalg"))}
        self.assertEqual({name for name in read if name in slow}, set())

    def test_info_and_render_of_a_job(self):
        session = worked(self.folder)
        session.save(self.folder / "job.lather")
        facts = json.loads(self.lather("info", "job.lather", "--json").stdout)
        self.assertEqual((facts["width"], facts["height"], facts["bits"], facts["edits"]), (340, 300, 16, 4))
        self.assertEqual(facts["profile"], "sRGB")
        self.assertIn("60 %", run_here("info", self.folder / "job.lather")[1])
        done = self.lather("render", "job.lather", "--out", "out.tif", "--bits", 16)
        self.assertEqual(done.returncode, 0, done.stderr)
        expected = session.engine.pixels(session.job, session.photo.bounds)
        codes = read_picture(self.folder / "out.tif").pixels
        np.testing.assert_array_equal(codes, np.round(np.clip(expected, 0, 1) * 65535).astype(np.uint16))
        small = ("render", self.folder / "job.lather", "--out", self.folder / "small.jpg", "--size", 100)
        self.assertEqual(run_here(*small)[0], 0)
        self.assertEqual(max(read_picture(self.folder / "small.jpg").pixels.shape), 100)

    def test_bad_input_gives_one_sentence_and_code_2(self):
        (self.folder / "letter.tif").write_text("dear all")
        self.assertIn("not a picture", self.refused("info", "letter.tif"))
        self.assertIn("no file", self.refused_here("info", "none.jpg"))
        write_picture(self.folder / "a.png", np.zeros((4, 4, 3), np.uint8), profile=b"")
        self.assertIn("ending", self.refused_here("render", "a.png", "--out", "a.doc"))
        self.assertIn("8 bits", self.refused_here("render", "a.png", "--out", "a.jpg", "--bits", "16"))
        self.assertIn("does not exist", self.refused_here("render", "a.png", "--out", "none/a.jpg"))
        self.assertIn("no sitter", self.refused_here("practice", "make", "--sitter", "x", "--out", "p"))
        made = ("practice", "make", "--sitter", "pip", "--out", "p")
        self.assertIn("KIND=COUNT", self.refused_here(*made, "--flaw", "red"))
        self.assertEqual(sorted(os.listdir(self.folder)), ["a.png", "letter.tif"])

    def test_measure_and_auto_print_what_scripts_read(self):
        photo, zones, out = (self.folder / name for name in ("photo.png", "zones.png", "out.png"))
        made = make_plate("marlow", 1, flaws={"blemish_dark": 4, "stray_hair": 10})
        head = np.s_[75:950, 500:1500]
        cv2.imwrite(str(photo), made.photo[head][..., ::-1])
        cv2.imwrite(str(zones), made.zones[head])
        job = self.folder / "out.lather"
        told = json.loads(run_here("auto", photo, "--out", out, "--job", job, "--brief", "identity", "--json")[1])
        self.assertEqual(Session.open(job).job.brief["kind"], "identity-true")
        self.assertGreaterEqual(told["strands"], 8)
        self.assertTrue(told["grain"])
        stages = {s.id: [len(x.edits) for x in s.layers] for s in Session.open(job).job.stages}
        self.assertEqual(stages["strands"], [told["strands"]])
        planted = np.concatenate([flaw.path for flaw in made.flaws if flaw.kind == "stray_hair"]) - (500, 75)
        for edit in Session.open(job).job.stage("strands").layers[0].edits:  # what is sure is right
            away = [np.hypot(*(planted - point[:2]).T).min() for point in edit.points]
            self.assertLess(np.median(away), 3)
        rows = json.loads(run_here("measure", photo, out, "--zones", zones, "--json")[1])
        self.assertEqual(list(rows)[:3], ["texture_kept", "modelling_kept", "contours_kept"])
        self.assertEqual(set(rows["texture_kept"]), {"value", "unit", "low", "high", "within"})
        self.assertTrue(rows["texture_kept"]["within"] and rows["modelling_kept"]["within"])
        same = json.loads(run_here("measure", photo, photo, "--json")[1])
        self.assertEqual((same["skin_touched"]["value"], same["grain_match"]["value"]), (0, 1))
        cv2.imwrite(str(self.folder / "small.png"), np.zeros((4, 4, 3), np.uint8))
        self.assertIn("differ in size", self.refused_here("measure", "photo.png", "small.png"))
        self.assertIn("kind of job", self.refused_here("measure", "photo.png", "out.png", "--brief", "party"))

    def test_practice_make_writes_a_plate_that_can_be_opened(self):
        made = ("practice", "make", "--sitter", "marlow", "--flaw", "blemish_dark=3", "--out", self.folder / "p")
        self.assertEqual(run_here(*made)[0], 0)
        self.assertEqual(sorted(os.listdir(self.folder / "p")),
                         ["flaws.json", "photo.png", "truth.png", "wanted.png", "zones.png"])
        self.assertEqual(len(json.loads((self.folder / "p" / "flaws.json").read_text())["finds"]), 3)
        self.assertEqual(Session.open(self.folder / "p" / "photo.png").photo.width, 2000)

    def test_without_a_display_demo_names_shots(self):
        self.assertIn("lather shots", self.refused("demo"))

    def test_shots_shows_the_demo_job(self):
        self.assertIn("no pictures of", self.refused_here("shots", "--out", "s", "--stage", "dusk"))
        own = {"XDG_CACHE_HOME": str(self.folder / "cache"), "LATHER_GAUGES_BY_THEMSELVES": "0"}
        with mock.patch.dict(os.environ, own):
            code, _ = run_here("shots", "--out", self.folder / "shots", "--stage", "grain")
        self.assertEqual(code, 0)
        for name in ("start", "desk", "grain"):
            pixels = read_picture(self.folder / "shots" / f"{name}.png").pixels
            self.assertEqual(pixels.shape[:2], (800, 1280))
            self.assertGreater(pixels.std(), 3)
        self.assertFalse((self.folder / "cache" / "lather").exists())  # pictures leave nothing behind

    def test_bench_prints_the_shape_that_scripts_read(self):
        rows = ("--row", "heal_settled", "--row", "pan_zoom")
        with mock.patch.dict(os.environ):
            code, said = run_here("bench", "--megapixels", 0.6, "--events", 3, *rows, "--json")
        self.assertEqual(code, 0)
        rows = json.loads(said)
        self.assertEqual([r["row"] for r in rows], ["heal_settled", "pan_zoom"])
        self.assertLessEqual({"row", "p95", "unit", "target", "met", "ratio_to_copy", "ratio_to_library"}, set(rows[0]))
        self.assertTrue(all(r["p95"] > 0 for r in rows))
        self.assertIn("no row", self.refused_here("bench", "--row", "nonsense"))

    def test_the_launcher_works_from_any_folder(self):
        command = [ROOT / "lather", "--version"]
        done = subprocess.run(command, capture_output=True, text=True, cwd=self.folder, timeout=60)
        self.assertIn("Lather 0", done.stdout)
