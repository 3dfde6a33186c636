"""Arguments of all kinds: one sentence and code 2, never a traceback, and nothing is written over what was read."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from tests.core.test_archive import ROOT, worked
from tests.support.commands import said_here
from tests.support.pictures import skin_like

NONSENSE = ("nan", "inf", "-inf", "0", "-3", "²", "", "1e999", "0x10", "١", "9" * 5000)
NUMBERS = (  # command and flag, and which of NONSENSE it may take
    (("auto", "a.png", "--out", "o.png", "--soft"), ("0",)),
    (("auto", "a.png", "--out", "o.png", "--jobs"), ()),
    (("auto", "a.png", "--out", "o.png", "--print-mm"), ()),
    (("auto", "a.png", "--out", "o.png", "--distance-mm"), ()),
    (("auto", "a.png", "--out", "o.png", "--delivered-px"), ()),
    (("find", "a.png", "--print-mm"), ()),
    (("info", "a.png", "--max-megapixels"), ()),
    (("render", "a.png", "--out", "o.png", "--size"), ()),
    (("render", "a.png", "--out", "o.jpg", "--quality"), ()),
    (("render", "a.png", "--out", "o.png", "--jobs"), ()),
    (("render", "a.png", "--out", "o.png", "--bits"), ()),
    (("practice", "make", "--sitter", "pip", "--out", "p", "--grain"), ("0",)),
    (("practice", "make", "--sitter", "pip", "--out", "p", "--grain-size"), ("0",)),
    (("practice", "make", "--sitter", "pip", "--out", "p", "--seed"), ("0",)),
    (("bench", "--megapixels"), ()),
    (("bench", "--events"), ()),
)
REFUSED = (
    (("auto", "a.png", "--out", "o.png", "--soft", "500"), "no number from"),
    (("auto", "a.png", "--out", "o.png", "--print-mm", "nan"), "no number"),
    (("auto", "a.png", "--out", "o.png", "--jobs", "-3"), "“-3” is no whole number from 1"),
    (("auto", "a.png", "--out", "a.png"), "reads"),
    (("auto", "a.png", "--out", "link.png"), "reads"),
    (("auto", "a.png", "--out", "hard.png"), "reads"),
    (("auto", "a.png", "--out", "m.png", "--job", "a.png"), "lather"),
    (("auto", "a.png", "--out", "m.png", "--job", "m.png"), "lather"),
    (("auto", "job.lather", "--out", "m.png", "--job", "job.lather"), "reads"),
    (("auto", "job.lather", "--out", "copy.png"), "photo itself"),
    (("auto", "a.png", "a.jpg", "--out", "folder"), "twice"),
    (("auto", "a.png", "other/a.png", "--out", "folder", "--job", "folder"), "twice"),
    (("auto", "a.png", "other/photo.png", "--out", "b.png"), "is a file"),
    (("auto", "a.png", "--out", "m.doc"), "ending"),
    (("auto", "a.png", "--out", "m.jpg", "--bits", "16"), "8 bits"),
    (("render", "job.lather", "--out", "job.lather"), "ending"),
    (("render", "job.lather", "--out", "copy.png"), "photo itself"),
    (("render", "job.lather", "--out", "photo.png"), "photo itself"),
    (("render", "x/x.lather", "other/x.lather", "--out", "folder"), "twice"),
    (("render", "job.lather", "job.lather", "--out", "folder"), "named twice"),
    (("render", "a.png", "a.jpg", "--out", "."), "reads"),
    (("render", "a.png", "--out", "folder"), "ending|folder"),
    (("render", "a.png", "--out", "folder/sub/b.png"), "does not exist"),
    (("render", "a.png", "--out", "a.jpg/b.png"), "does not exist|no folder"),
    (("render", "a.png", "--out", "pipe.png"), "pipe"),
    (("render", "a.png", "--out", "/dev/full"), "ending|device"),
    (("render", "a.png", "--out", "full.png"), "device"),
    (("render", "pipe.png", "--out", "b.png"), "pipe"),
    (("info", "pipe.png"), "pipe"),
    (("info", "pipe.lather"), "pipe"),
    (("info", "/dev/zero"), "device"),
    (("info", "folder"), "folder"),
    (("info", "none\udce9.png"), "no file"),
    (("measure", "pipe.png", "a.png"), "pipe"),
    (("measure", "a.png", "a.png", "--zones", "pipe.png"), "pipe"),
    (("measure", "a.png", "a.png", "--finds", "pipe.png"), "pipe"),
    (("practice", "make", "--sitter", "pip", "--flaw", "flake=²", "--out", "p"), "KIND=COUNT"),
    (("practice", "make", "--sitter", "pip", "--out", "other"), "choose another name"),
    (("practice", "make", "--sitter", "pip", "--out", "a.png"), "is a file"),
    (("practice", "score", "folder", "a.png"), "."),
    (("find", "a.png", "--kind", "wart"), "no kind"),
    (("nonsense",), "invalid choice"),
    (("render",), "required"),
    (("shots", "--out", "a.png"), "is a file"),
)


class ArgumentsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls._folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls._folder.cleanup)
        folder = cls.folder = Path(cls._folder.name)
        for sub in ("folder", "other", "x"):
            (folder / sub).mkdir()
        for name in ("a.png", "a.jpg", "other/a.png", "other/photo.png"):
            write_picture(folder / name, skin_like(60, 60, dtype="u1"), profile=srgb_profile())
        worked(folder).save(folder / "job.lather")
        shutil.copy(folder / "photo.png", folder / "copy.png")
        for name in ("x/x.lather", "other/x.lather"):
            shutil.copy(folder / "job.lather", folder / name)
        (folder / "link.png").symlink_to("a.png")
        (folder / "hard.png").hardlink_to(folder / "a.png")
        (folder / "full.png").symlink_to("/dev/full")
        for name in ("pipe.png", "pipe.lather"):
            os.mkfifo(folder / name)
        cls.before = cls.state()

    @classmethod
    def state(cls) -> dict:
        return {str(p): p.read_bytes() for p in sorted(cls.folder.rglob("*")) if p.is_file() and not p.is_symlink()}

    def refused(self, arguments, words: str = ".") -> None:
        """In this process, where a table of a hundred cases is quick."""
        done = said_here(self.folder, *arguments)
        self.assertEqual(done[0], 2, done)
        self.assertRegex(done[1], words)
        self.assertEqual(len(done[1].strip().splitlines()), 1, done[1])
        self.assertLess(len(done[1]), 600)

    def test_numbers_that_make_no_sense(self):
        for arguments, allowed in NUMBERS:
            for value in NONSENSE:
                if value not in allowed:
                    with self.subTest(arguments=arguments, value=value[:10]):
                        self.refused((*arguments[:-1], f"{arguments[-1]}={value}"))

    def test_every_refusal_is_one_sentence_before_any_work(self):
        for arguments, words in REFUSED:
            with self.subTest(arguments=arguments):
                self.refused(arguments, words)
        self.assertEqual(self.state(), self.before)

    def lather(self, *arguments, stdout=subprocess.PIPE, **env) -> subprocess.CompletedProcess:
        kept = {key: value for key, value in os.environ.items() if not key.startswith(("LC_", "LANG"))}
        return subprocess.run(
            [sys.executable, "-m", "lather", *map(str, arguments)], stdout=stdout, stderr=subprocess.PIPE, text=True,
            errors="replace", cwd=self.folder, env=kept | {"PYTHONPATH": str(ROOT / "src")} | env, timeout=60,
        )

    def test_an_ascii_terminal_and_one_that_is_full(self):
        plain = {"LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0", "PYTHONIOENCODING": "ascii"}
        done = self.lather("info", "a.png", **plain)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        done = self.lather("info", "größe.png", **plain)
        self.assertEqual(done.returncode, 2)
        self.assertNotIn("Traceback", done.stderr)
        with open("/dev/full", "w") as full:
            for arguments in (("info", "a.png", "--json"), ("--help",)):
                done = self.lather(*arguments, stdout=full)
                self.assertEqual(done.returncode, 2, arguments)
                self.assertRegex(done.stderr, r"^lather: [^\n]*No space left[^\n]*\n$")

    def test_names_in_another_encoding(self):
        name = os.fsencode(self.folder) + b"/\xfcber.png"
        shutil.copy(self.folder / "a.png", name)
        self.addCleanup(os.unlink, name)
        done = self.lather("info", os.fsdecode(name))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
