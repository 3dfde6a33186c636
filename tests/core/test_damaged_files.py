"""A seeded share of benchmarks/fuzz_files.py: damaged files open or are refused in one sentence, quickly."""

import time
from collections import Counter
from pathlib import Path

from lather.core.session import Session
from tests.support.doors import DOORS, try_door
from tests.support.folder_case import FolderCase
from tests.support.mutations import case, job_file, pictures
from tests.support.try_file import try_file


class DamagedFilesTest(FolderCase):
    def written(self, name: str, data: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def test_whole_files_open(self):
        for name, data in pictures().items():
            self.assertEqual(try_file(self.written(name, data), thorough=True), "", name)
        session = Session.open(self.written("job.lather", job_file()))
        self.assertEqual(session.notes, [])
        self.assertEqual(sum(1 for _ in session.job.edits()), 11)
        self.assertEqual(try_file(self.written("job.lather", job_file()), thorough=True), "")

    def test_damaged_ones_open_or_say_why(self):
        opened, slowest = 0, 0.0
        for number in range(50_000, 50_450):  # numbers that the benchmark does not use
            name, data = case(number)
            start = time.monotonic()
            opened += try_file(self.written(name, data), thorough=number % 10 == 0) == ""
            slowest = max(slowest, time.monotonic() - start)
        self.assertLess(slowest, 10)
        self.assertTrue(45 < opened < 400, opened)  # neither all refused nor all let through


class DoorsTest(FolderCase):
    def test_what_is_handed_in_at_any_door_is_taken_or_refused_in_a_sentence(self):
        said: Counter = Counter()
        slowest = 0.0
        job_file()  # what is handed in is made, and the fast loops are loaded: no door is slow by that
        for number in range(50_000, 50_440):
            start = time.monotonic()
            door, sentence = try_door(number, self.folder)
            slowest = max(slowest, time.monotonic() - start)
            said[door, bool(sentence)] += 1
        self.assertLess(slowest, 10)
        self.assertEqual({door for door, _ in said}, set(DOORS))
        self.assertTrue(said["answer", True] > 20 and said["texts", True] > 20 and said["logbook", False] > 50, said)
