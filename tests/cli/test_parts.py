"""lather parts and lather info: who is on a photo, and what each pixel is."""

import json
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from lather.core.job.commands import CorrectParts
from lather.core.job.part_strokes import PartStroke
from lather.core.people.parsing import PARTS
from lather.core.practice.sitters import SKIN, load_sitter
from lather.core.session import Session
from tests.support.commands import run_here, said_here


class PartsCommandTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        sitter = load_sitter("pip")
        cls.zones = cv2.resize(sitter.zones, (640, 800), interpolation=cv2.INTER_NEAREST)
        pixels = cv2.resize(sitter.picture.pixels, (640, 800), interpolation=cv2.INTER_AREA)
        pixels = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
        cls.photo = cls.folder / "pip.png"
        cv2.imwrite(str(cls.photo), pixels[..., ::-1])

    def test_the_map_is_a_picture_whose_values_are_parts(self):
        out, persons = self.folder / "parts.png", self.folder / "persons.png"
        code, printed = run_here("parts", self.photo, "--out", out, "--persons", persons, "--json")
        self.assertEqual(code, 0)
        said = json.loads(printed)
        self.assertEqual((said["width"], said["height"], said["parts"]), (640, 800, list(PARTS)))
        self.assertEqual(len(said["persons"]), 1)
        self.assertEqual(said["persons"][0]["face"], "seen")
        with Image.open(out) as picture:
            self.assertEqual((picture.mode, picture.size), ("P", (640, 800)))
            labels = np.array(picture)
        skin, truth = labels == PARTS.index("skin"), self.zones == SKIN
        self.assertGreater((skin & truth).sum() / (skin | truth).sum(), 0.8)
        with Image.open(persons) as picture:
            self.assertEqual(set(np.unique(np.array(picture))), {0, 1})

    def test_in_words_and_never_over_the_photo(self):
        code, printed = run_here("parts", self.photo)
        self.assertEqual(code, 0)
        self.assertIn("1 person", printed)
        self.assertIn("Skin", printed)
        before = self.photo.read_bytes()
        code, said = said_here(self.folder, "parts", self.photo, "--out", self.photo)
        self.assertEqual(code, 2)
        self.assertEqual(self.photo.read_bytes(), before)
        code, said = said_here(self.folder, "parts", self.photo, "--out", "parts.jpg")
        self.assertEqual(code, 2)
        self.assertIn("PNG", said)

    def test_a_job_is_read_as_it_was_corrected(self):
        session = Session.open(self.photo)
        session.history.do(CorrectParts((PartStroke("cloth", ((320.0, 400.0),), 90.0),)))
        job, out = self.folder / "pip.lather", self.folder / "corrected.png"
        session.save(job)
        self.assertEqual(run_here("parts", job, "--out", out)[0], 0)
        with Image.open(out) as picture:
            self.assertEqual(np.array(picture)[400, 320], PARTS.index("cloth"))

    def test_info_tells_of_everybody(self):
        code, printed = run_here("info", self.photo)
        self.assertEqual(code, 0)
        self.assertIn("Person 1:", printed)
        code, printed = run_here("info", self.photo, "--json")
        person = json.loads(printed)["people"][0]
        self.assertEqual((person["number"], person["closed_eyes"]), (1, []))
        self.assertEqual(len(person["skin_lab"]), 3)


if __name__ == "__main__":
    unittest.main()
