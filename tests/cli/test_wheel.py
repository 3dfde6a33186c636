"""The wheel: built, put where nothing else of Lather is, and worked with; the menu entry that comes with it."""

import os
import subprocess
import sys
import tempfile
import unittest
import xml.etree.ElementTree as xml
import zipfile
from email.parser import Parser
from pathlib import Path

from lather import __version__

ROOT = Path(__file__).parents[2]
_WALK = """
import sys
from lather.core import warmup
from lather.desktop.compiling import Compiling
from lather.desktop.app import make_application
from lather.desktop.window.main_window import MainWindow
warmup.ORDER, warmup.FIRST = ("levels", "colour.srgb", "brush.stroke"), 1  # compiling all takes a minute
app = make_application()
window = MainWindow()
compiling = Compiling(window)
said = []
window.notice._changed = lambda shown=window.notice._changed: (said.append(window.notice.text()), shown())
compiling.ready.connect(app.quit)
compiling.start()
app.exec()
print(compiling.first, any("50 %" in one for one in said), said[-1])
window.rooms.show("handbook")
print(window.screens["handbook"].list.count(), len(window.screens["handbook"].reader.toPlainText()) > 200)
window.close()
"""


class WheelTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(tempfile.mkdtemp(prefix="lather-wheel-"))
        cls.addClassCleanup(subprocess.run, ["rm", "-rf", str(cls.folder)], check=True)
        copy = cls.folder / "source"  # building leaves traces
        copy.mkdir()
        for name in ("src", "docs", "pyproject.toml", "setup.py", "README.md", "LICENSE"):
            subprocess.run(["cp", "-r", str(ROOT / name), str(copy)], check=True)
        subprocess.run([sys.executable, "-m", "pip", "wheel", ".", "--no-deps", "--no-build-isolation", "-q", "-w",
                        str(cls.folder)], cwd=copy, check=True, capture_output=True)
        cls.wheel = next(cls.folder.glob("lather-*.whl"))
        with zipfile.ZipFile(cls.wheel) as archive:
            archive.extractall(cls.folder / "there")
        cls.there = cls.folder / "there"

    def run_there(self, *arguments: str) -> subprocess.CompletedProcess:
        home = {f"XDG_{name}_HOME": str(self.folder / name) for name in ("CONFIG", "CACHE", "STATE", "DATA")}
        environment = os.environ | home | {"PYTHONPATH": str(self.there), "HOME": str(self.folder)}
        return subprocess.run([sys.executable, *arguments], capture_output=True, text=True, cwd=self.folder,
                              env=environment, timeout=120, check=False)

    def test_it_says_what_it_is_and_needs(self):
        about = Parser().parsestr(next(self.there.glob("*.dist-info/METADATA")).read_text())
        self.assertEqual(about["Version"], __version__)
        self.assertEqual(set(about.get_all("Provides-Extra")) & {"raw", "heif", "cluster"}, {"raw", "heif", "cluster"})
        pinned = {line.lower().replace("_", "-") for line in (ROOT / "requirements.lock").read_text().split("\n")}
        for one in about.get_all("Requires-Dist"):
            if "extra ==" not in one:
                self.assertIn(one.lower().replace("_", "-"), pinned)
        points = next(self.there.glob("*.dist-info/entry_points.txt")).read_text()
        self.assertIn("lather = lather.__main__:start", points)

    def test_the_command_works_from_it_alone(self):
        done = self.run_there("-m", "lather", "--version")
        self.assertEqual(done.stdout.strip(), f"Lather {__version__}")
        self.assertEqual(self.run_there("-c", "import lather; print(lather.__file__)").stdout.strip(),
                         str(self.there / "lather" / "__init__.py"))
        made = self.run_there("-m", "lather", "practice", "--help")
        self.assertEqual(made.returncode, 0, made.stderr)

    def test_the_window_tells_that_loops_are_compiled_and_has_its_handbook(self):
        done = self.run_there("-c", _WALK)
        first, pages = done.stdout.strip().split("\n")
        self.assertEqual(first, "True True The fast loops are ready.", done.stderr)
        self.assertRegex(pages, r"^\d+ True$")

    def test_the_desktop_finds_entry_type_icon_and_description(self):
        share = next(self.there.glob("*.data")) / "data" / "share"
        found = {str(path.relative_to(share)) for path in share.rglob("*") if path.is_file()}
        self.assertEqual(found, {
            "applications/lather.desktop", "mime/packages/lather-mime.xml", "metainfo/org.lather.Lather.metainfo.xml",
            "icons/hicolor/scalable/apps/lather.svg"})
        entry = dict(line.split("=", 1) for line in (share / "applications/lather.desktop").read_text().split("\n")
                     if "=" in line)
        told = xml.parse(share / "metainfo/org.lather.Lather.metainfo.xml").getroot()
        self.assertEqual(told.find("launchable").text, "lather.desktop")
        self.assertEqual(told.find("releases/release").get("version"), __version__)
        kind = xml.parse(share / "mime/packages/lather-mime.xml").getroot()[0].get("type")
        self.assertIn(kind, entry["MimeType"].split(";"))
        self.assertEqual(entry["Exec"], "lather open %f")


if __name__ == "__main__":
    unittest.main()
