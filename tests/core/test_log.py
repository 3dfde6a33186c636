"""The log: rotating, with tracebacks of what became a sentence, and without names where it is reported."""

import contextlib
import io
import logging
import sys
import warnings
from pathlib import Path
from unittest import mock

from lather.__main__ import main, start
from lather.cli import batch
from lather.core import log
from lather.core.errors import Cancelled, PictureError
from lather.core.imageio.write import write_picture
from lather.core.job.model import new_job
from lather.core.journal.journal import Journal
from lather.core.session import Session
from tests.support.folder_case import FolderCase
from tests.support.logged import LogCase
from tests.support.pictures import session_of, skin_like

_log = logging.getLogger("lather.test")


def broken_work(*_):
    raise KeyError("a fault of the program")


class SentencesTest(LogCase):
    def test_what_caused_an_expected_error_is_kept_and_stopping_is_no_error(self):
        try:
            try:
                int("x")
            except ValueError as error:
                raise PictureError("That is no picture.") from error
        except PictureError as error:
            self.assertEqual(log.expected(_log, error), "That is no picture.")
        self.assertLogged("That is no picture.", "invalid literal for int()", "test_log.py")
        self.assertFalse(log.was_unexpected("That is no picture."))
        log.expected(_log, Cancelled("Stopped."))
        self.assertNotIn("Cancelled", self.logged())

    def test_an_unexpected_one_is_remembered_by_its_sentence(self):
        self.assertEqual(log.unexpected(_log, OSError("disk"), "It  failed."), "It  failed.")
        self.assertTrue(log.was_unexpected("It failed. Save the job."))
        self.assertFalse(log.was_unexpected("Another thing."))

    def test_a_batch_and_a_journal_write_their_tracebacks(self):
        told = batch.once(f"{__name__}:broken_work", (), "", ())
        self.assertIn("KeyError", told["error"])
        self.assertLogged("a fault of the program", "batch.py")
        session = session_of(skin_like(40, 40))
        with mock.patch.object(Journal, "_write_file", side_effect=OSError(28, "No space left on device")):
            journal = Journal(new_job(session.photo.source), job_file=None, photo_path=None)
        self.assertLogged("No space left on device", "journal.py")
        journal.close()


class WarningTest(LogCase):
    def test_what_a_library_warns_of_is_in_the_log_and_not_on_the_terminal(self):
        with contextlib.redirect_stderr(io.StringIO()) as said:
            warnings.warn("a library is out of date", FutureWarning, stacklevel=1)
        self.assertEqual(said.getvalue(), "")
        self.assertIn("a library is out of date", self.logged())


class DoneTest(LogCase, FolderCase):
    def test_what_is_done_is_written_down_with_the_time_it_took_and_without_names(self):
        write_picture(self.folder / "somebody.png", skin_like(40, 40), profile=b"")
        Session.open(self.folder / "somebody.png").save(self.folder / "somebody.lather")
        Session.open(self.folder / "somebody.lather")
        for line in (r"job\.archive: job saved: \d+\.\d\d s", r"job\.archive: job read: \d",
                     r"imageio\.read: photo decoded: .* 16 bits, \(40, 40, 3\)"):
            self.assertRegex(self.logged(), line)
        self.assertNotIn("somebody", self.logged())


class FileTest(LogCase):
    def test_it_rotates_and_does_not_grow_without_end(self):
        with mock.patch.object(log, "_FILE_BYTES", 2000):
            log.close()
            log.configure()
            for number in range(300):
                _log.info("line %d of a log that grows", number)
        files = list(log.log_file().parent.iterdir())
        self.assertEqual(len(files), 4)
        self.assertLess(max(file.stat().st_size for file in files), 2200)
        self.assertIn("line 299", self.logged())

    def test_where_it_cannot_be_written_all_goes_on(self):
        with mock.patch.object(Path, "mkdir", side_effect=OSError("read-only")):
            log.close()
            log.configure()
        _log.error("nobody hears this")
        log.close()
        log.configure()
        log.log_file().parent.joinpath("lather.log").unlink(missing_ok=True)

    def test_a_report_names_the_program_and_nobody_else(self):
        try:
            broken_work()
        except KeyError as error:
            log.unexpected(_log, error, "/home/me/mary-in-may.jpg and the file june.dng failed (Alder & Finch).")
        said = log.report(["Alder & Finch"])
        for word in ("/home", "mary", "june", "Finch"):
            self.assertNotIn(word, said)
        for word in ("Lather 0.", "Python 3", "numpy", "KeyError", "in broken_work", log.HIDDEN):
            self.assertIn(word, said)
        self.assertIn("mary-in-may.jpg", log.report(with_names=True))


class CommandTest(LogCase, FolderCase):
    def test_verbose_prints_the_log_before_or_after_the_command(self):
        missing = str(self.folder / "nothere.png")
        for arguments in (["--verbose", "info", missing], ["info", missing, "--verbose"], ["info", missing]):
            log.close()
            said = io.StringIO()
            with contextlib.redirect_stderr(said):
                self.assertEqual(main(arguments), 2)
            self.assertEqual("Traceback" in said.getvalue(), "--verbose" in arguments)
            self.assertIn("lather: ", said.getvalue())
        self.assertLogged("nothere.png", "PictureError")

    def test_a_fault_of_the_program_is_one_sentence_and_code_1(self):
        said = io.StringIO()
        with (
            mock.patch("lather.cli.info.run", side_effect=KeyError("a fault")), contextlib.redirect_stderr(said),
            mock.patch.object(sys, "argv", ["lather", "info", "x.png"]), self.assertRaises(SystemExit) as end,
            mock.patch("lather.interrupt.let_through"), mock.patch("lather.interrupt.unwind"),
        ):
            start()
        self.assertEqual(end.exception.code, 1)
        self.assertIn("its traceback is in", said.getvalue())
        self.assertNotIn("Traceback", said.getvalue())
        self.assertLogged("KeyError: 'a fault'")
