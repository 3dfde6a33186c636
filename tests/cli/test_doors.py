"""Every command that writes: photos, jobs, the logbook and files of somebody else stay, unless it is said."""

import argparse
import importlib
import os
import shutil
import unittest
from pathlib import Path
from unittest import mock

from lather.__main__ import COMMANDS, build_parser
from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.imageio.written import claim, note, own
from lather.core.practice.make import FILES
from lather.core.record.logbook import logbook_path
from tests.core.test_archive import worked
from tests.support.commands import run_here, said_here
from tests.support.folder_case import FolderCase
from tests.support.keep_version import write_logbook
from tests.support.pictures import skin_like

_WRITES = {
    "auto": ("--out", "--job"), "render": ("--out",), "replay": ("--out",), "carry": ("--out",),
    "report": ("--out", "--sheet"), "proof": ("--out",), "log": ("--csv", "--backup"), "practice": ("--out",),
    "shape": ("--out", "--job"), "adjust": ("--out", "--job"), "texts": ("--out",), "shots": ("--out", "--handbook"),
    "parts": ("--out", "--persons"),
}
"""Commands with the options that name what is written; every option that does is here (see the first test)."""
_READS = {"--import", "--source", "--answer", "--result", "--finds", "--photo"}
_NEVER_OVER = ("proof", "texts")  # a sheet gets a number of its own; a translation is gone on with


def options(command: str) -> list[tuple[str, str]]:
    """(option, help) of a command and what is below it."""
    found: list[tuple[str, str]] = []
    waiting = [next(action.choices[command] for action in build_parser(command)._actions
                    if isinstance(action, argparse._SubParsersAction))]
    while waiting:
        for action in waiting.pop()._actions:
            if isinstance(action, argparse._SubParsersAction):
                waiting += action.choices.values()
            found += [(name, action.help or "") for name in action.option_strings if name.startswith("--")]
    return found


class DoorsTest(FolderCase):
    def setUp(self):
        super().setUp()
        own_places = {"XDG_DATA_HOME": str(self.folder / "data"), "LATHER_OUTBOX": str(self.folder / "outbox"),
                      "XDG_CONFIG_HOME": str(self.folder / "config"), "XDG_STATE_HOME": str(self.folder / "state"),
                      "HOME": str(self.folder / "home")}
        patch = mock.patch.dict(os.environ, own_places)
        patch.start()
        self.addCleanup(patch.stop)
        self.session = worked(self.folder)
        self.job = self.folder / "job.lather"
        self.session.save(self.job)
        self.photo = self.folder / "photo.png"
        logbook_path().parent.mkdir(parents=True)
        write_logbook(logbook_path())

    def test_every_option_that_names_an_output_is_known_here_and_can_be_told_to_replace(self):
        for command in COMMANDS:
            named = {name for name, words in options(command) if name not in _READS and (
                name in ("--out", "--job", "--sheet", "--csv", "--backup", "--handbook")
                or any(word in words.lower() for word in ("write", "save the", "folder for")))}
            self.assertLessEqual(named - {"--replace"}, set(_WRITES.get(command, ())), command)
            if command in _WRITES and command not in _NEVER_OVER:
                self.assertIn("--replace", dict(options(command)), command)

    def test_the_source_of_every_command_asks_before_it_writes(self):
        for command in _WRITES:
            text = Path(importlib.import_module(f"lather.cli.{command}").__file__).read_text(encoding="utf-8")
            asks = "may_write(" in text or "opened import" in text or command == "proof"
            self.assertTrue(asks, command)

    def commands(self, option: str, target: Path) -> dict[str, list]:
        """{command: its arguments} that write to a target by an option."""
        given = {
            "auto": [self.photo, "--out", self.folder / "free.tif"], "render": [self.job],
            "replay": [self.job, "--source", self.photo], "report": [self.job], "log": [],
            "shape": [self.photo], "adjust": [self.photo, "--add", "finish"], "parts": [self.photo],
        }
        made = {}
        for command, arguments in given.items():
            if option in _WRITES[command]:
                other = ("--out", self.folder / "free.tif") if option == "--out" else ()
                made[command] = [command, *(one for one in arguments if one not in other), option, target]
        return made

    def test_no_option_of_any_command_writes_over_what_is_not_lathers_own(self):
        endings = ("png", "tif", "jpg", "lather", "csv", "html", "pdf", "sqlite", "txt")
        mine = {ending: self.folder / f"mine.{ending}" for ending in endings}
        write_picture(mine["png"], skin_like(40, 50, dtype="u1"), profile=srgb_profile())
        shutil.copy2(self.job, mine["lather"])
        for ending, path in mine.items():
            if ending not in ("png", "lather"):
                path.write_bytes(b"somebody's own words")
        targets = [*mine.values(), logbook_path(), self.photo, self.job]
        before = {path: path.read_bytes() for path in targets}
        tried = 0
        for option in ("--out", "--job", "--sheet", "--csv", "--backup"):
            for target in targets:
                for command, arguments in self.commands(option, target).items():
                    code, said = said_here(self.folder, *arguments)
                    tried += 1
                    self.assertEqual(code, 2, (command, option, target.name, said))
                    self.assertEqual(len(said.strip().splitlines()), 1, said)
        for path, data in before.items():
            self.assertEqual(path.read_bytes(), data, path)
        self.assertGreater(tried, 100)

    def test_folders_are_looked_through_as_well(self):
        out = self.folder / "out"
        out.mkdir()
        for name, arguments in (
            ("photo-mended.tif", ("auto", self.photo, self.folder / "other.png", "--out", out)),
            ("job.jpg", ("render", self.job, self.photo, "--out", out)),
            ("photo.lather", ("carry", self.job, self.photo, "--out", out)),
            ("wanted.png", ("practice", "make", "--sitter", "pip", "--out", out)),
            ("truth.png", ("practice", "lesson", "1", "--out", out)),
        ):
            shutil.copy2(self.photo, self.folder / "other.png")
            (out / name).write_bytes(b"mine")
            code, said = said_here(self.folder, *arguments)
            self.assertEqual((code, name in said, (out / name).read_bytes()), (2, True, b"mine"), said)
            (out / name).unlink()
        self.assertEqual([path for path in out.iterdir() if path.name in FILES], [])

    def test_what_a_command_wrote_it_may_write_again_until_somebody_changes_it(self):
        table = self.folder / "table.csv"
        self.assertEqual(run_here("log", "--csv", table)[0], 0)
        self.assertEqual(run_here("log", "--csv", table)[0], 0)
        table.write_text(table.read_text() + "a line of mine\n")
        self.assertEqual(said_here(self.folder, "log", "--csv", table)[0], 2)
        self.assertIn("mine", table.read_text())
        self.assertEqual(run_here("log", "--csv", table, "--replace")[0], 0)
        self.assertNotIn("mine", table.read_text())
        for option, target in (("--csv", logbook_path()), ("--backup", logbook_path()), ("--csv", self.photo)):
            code, said = said_here(self.folder, "log", option, target, "--replace")  # not even then
            self.assertEqual(code, 2, said)
        picture = self.folder / "out.png"
        self.assertEqual(run_here("render", self.job, "--out", picture)[0], 0)
        first = picture.read_bytes()
        self.assertEqual(run_here("render", self.job, "--out", picture)[0], 0)
        self.assertEqual(picture.read_bytes(), first)  # the same work gives the same bytes

    def test_the_menu_entry_is_not_put_over_another_program(self):
        command = self.folder / "home" / ".local" / "bin" / "lather"
        command.parent.mkdir(parents=True)
        command.write_text("#!/bin/sh\necho another program\n")
        code, _ = said_here(self.folder, "install")
        self.assertEqual((code, "another" in command.read_text()), (2, True))
        run_here("install", "--remove")
        self.assertIn("another", command.read_text())
        self.assertEqual(run_here("install", "--replace")[0], 0)
        self.assertTrue(command.is_symlink())
        self.assertEqual(run_here("install")[0], 0)


class OwnTest(FolderCase):
    def setUp(self):
        super().setUp()
        patch = mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder / "state")})
        patch.start()
        self.addCleanup(patch.stop)

    def test_what_was_begun_when_a_command_was_killed_is_its_own(self):
        path = self.folder / "a.png"
        path.write_bytes(b"before")
        self.assertEqual(own([path]), set())
        claim([path])
        self.assertEqual(own([path]), set())  # nothing was written yet: it is as it was before
        path.write_bytes(b"half")
        self.assertEqual(own([path]), {str(path)})
        note([path])
        self.assertEqual(own([path]), {str(path)})
        path.write_bytes(b"somebody else")
        self.assertEqual(own([path]), set())

    def test_where_nothing_can_be_kept_nothing_is_own_and_lines_that_are_none_are_passed_over(self):
        path = self.folder / "a.png"
        path.write_bytes(b"x")
        note([path])
        with open(self.folder / "state" / "lather" / "written.jsonl", "ab") as file:
            file.write(b'{"path": NaN}\n[]\nnothing at all\n{"size": 3}\n')
        self.assertEqual(own([path]), {str(path)})
        with mock.patch.dict(os.environ, {"XDG_STATE_HOME": "/proc/nowhere"}):
            note([path])
            self.assertEqual(own([path]), set())


if __name__ == "__main__":
    unittest.main()
