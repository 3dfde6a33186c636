"""What the logbook takes in, what it refuses, how it is mended, and what waits for it."""

import os
import shutil
import sqlite3
import time
from contextlib import closing
from unittest import mock

import numpy as np

from lather.core.plan.minutes import shipped_speeds
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote, GaugeNote, sums
from lather.core.record.logbook import Logbook, logbook_path
from lather.core.record.logbook_error import BUSY, CLOSED, DAMAGED, NEWER, NONE, LogbookError
from lather.core.record.logbook_form import TABLES
from lather.core.record.logbook_repair import repair
from lather.core.record.own_speed import own_speeds
from lather.core.record.statistics import as_csv, minutes_over_time, seconds_per_find
from lather.core.record.waiting import Waiting, waiting_file, write_or_keep
from lather.core.record.which import Which
from tests.support.commands import run_here
from tests.support.folder_case import FolderCase
from tests.support.keep_version import EARLIER, fill

_WRONG = ("text", "", None, b"\xff\xfe\x00", -(2**62), 2**62, 1.5, float("inf"), "2026-13-45T00:00:00Z", "x" * 9000)


def tampered(path, table: str, column: str, value: object) -> None:
    """One cell of a logbook set to what it may not be, past whatever holds it."""
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA ignore_check_constraints=ON")
        db.execute("PRAGMA synchronous=OFF")
        try:
            db.execute(f"UPDATE {table} SET {column} = ?", (value,))
        except sqlite3.IntegrityError:  # NULL where there can be none
            return
        if isinstance(value, bytes):
            db.execute(f"UPDATE {table} SET {column} = CAST({column} AS TEXT)")
        db.commit()


def used(book: Logbook) -> None:
    """All that is asked of a logbook."""
    entries = book.entries()
    sums(entries), as_csv(entries), minutes_over_time(entries), seconds_per_find(entries)
    own_speeds(entries, shipped_speeds())
    book.totals(), book.practice(), book.looks("one"), book.seconds("one")
    for entry in entries:
        str(entry), entry.gauge_state, entry.earned_cents


class DoorsCase(FolderCase):
    def setUp(self):
        super().setUp()
        own = {"XDG_DATA_HOME": str(self.folder / "data ?#%"), "XDG_STATE_HOME": str(self.folder / "state")}
        patch = mock.patch.dict(os.environ, own)
        patch.start()
        self.addCleanup(patch.stop)
        self.path = logbook_path()

    def filled(self, path) -> None:
        with closing(Logbook(path)) as book:
            fill(book)


class TakenInTest(DoorsCase):
    def test_whatever_a_cell_holds_one_s_own_logbook_stays_one_that_can_be_read(self):
        source, other = self.folder / "source.sqlite", self.folder / "other.sqlite"
        shutil.copy2(sorted(EARLIER.glob("*.sqlite"))[-2], source)  # nothing holds its columns to their types
        left_out = 0
        columns = [(table, column) for table, columns in TABLES.items() for column in columns]
        for number, (table, column) in enumerate(columns):
            for value in _WRONG[number % 3 :: 3]:
                shutil.copy2(source, other)
                tampered(other, table, column.name, value)
                with closing(Logbook(":memory:")) as book:
                    left_out += book.take_in(other).left_out
                    used(book)
                    self.assertEqual(book.check(), [], (table, column.name, value))
        self.assertGreater(left_out, 70)

    def test_what_is_wrong_costs_a_cell_where_it_can_and_a_row_where_it_must(self):
        other = self.folder / "other.sqlite"
        for table, column, value, jobs, seconds in (
            ("jobs", "rate_cents", "much", 1, 1890), ("jobs", "began", "", 0, 0), ("spans", "seconds", "long", 1, 0),
            ("spans", "finds", 1.5, 1, 1890),
        ):
            shutil.copy2(EARLIER / "2026-11-28T0845.sqlite", other)
            tampered(other, table, column, value)
            with closing(Logbook(":memory:")) as book:
                self.assertGreater(book.take_in(other).left_out, 0)
                entries = book.entries()
                self.assertEqual((len(entries), sum(e.real_s for e in entries)), (jobs, seconds), (table, column))

    def test_the_database_itself_refuses_what_cannot_be(self):
        with closing(Logbook(self.path)) as book:
            fill(book)
            for table, column, value in (("spans", "seconds", "long"), ("jobs", "began", "yesterday"),
                                         ("gauges", "value", "big"), ("jobs", "demo", 7)):
                with self.assertRaises(sqlite3.IntegrityError):
                    book._db.execute(f"UPDATE {table} SET {column} = ?", (value,))
            with self.assertRaises(LogbookError):
                book.note_job("two", title="x" * 6000)
            used(book)

    def test_no_other_thing_is_taken_for_a_logbook(self):
        with closing(Logbook(self.path)) as book:
            fill(book)
            endless, views = self.folder / "endless.sqlite", self.folder / "views.sqlite"
            with closing(sqlite3.connect(views)) as db:
                db.execute("CREATE VIEW jobs AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) "
                           "SELECT i AS id FROM n")
            endless.write_bytes(b"SQLite format 3\0" + bytes(range(256)) * 40)
            newer = self.folder / "newer.sqlite"
            with closing(sqlite3.connect(newer)) as db:
                db.execute("CREATE TABLE jobs (id)")
                db.execute("PRAGMA user_version=99")
            for path in (endless, views, newer, self.folder):
                start = time.monotonic()
                with self.assertRaises(LogbookError):
                    book.take_in(path)
                self.assertLess(time.monotonic() - start, 5)
            self.assertEqual(len(book.entries()), 1)


class RepairTest(DoorsCase):
    def test_a_poisoned_logbook_of_an_earlier_version_is_healed_and_kept_as_it_was(self):
        self.path.parent.mkdir(parents=True)
        shutil.copy2(EARLIER / "2026-11-28T0845.sqlite", self.path)
        tampered(self.path, "jobs", "price_cents", "a lot")
        before = self.path.read_bytes()
        self.assertEqual(run_here("log", "--repair")[0], 0)
        code, said = run_here("log")
        self.assertEqual((code, "Wren" in said), (0, True))
        self.assertEqual(run_here("log", "--check")[0], 0)
        (kept,) = self.path.parent.glob("*-form3.sqlite")
        with closing(sqlite3.connect(kept)) as old, closing(sqlite3.connect(":memory:")) as then:
            then.deserialize(before)
            jobs = "SELECT * FROM jobs"
            self.assertEqual(old.execute(jobs).fetchall(), then.execute(jobs).fetchall())

    def test_a_table_that_holds_nothing_to_its_type_is_made_anew(self):
        self.filled(self.path)
        with closing(sqlite3.connect(self.path)) as db:
            db.execute("CREATE TABLE loose AS SELECT * FROM jobs")
            db.execute("DROP TABLE jobs")
            db.execute("ALTER TABLE loose RENAME TO jobs")
            db.execute("UPDATE jobs SET demo = 'perhaps'")
            db.commit()
        with closing(Logbook(self.path)) as book:
            used(book)
            self.assertEqual([e.title for e in book.entries()], ["Wren"])

    def damaged(self, jobs: int = 300) -> int:
        """Pages in the middle and the table of contents spoilt; returns how many spans there were."""
        with closing(Logbook(self.path)) as book:
            for number in range(jobs):
                book.note_job(f"job{number:03d}", title=f"Title {number}", began="2026-11-02T09:00:00Z")
                book.add_spans(f"job{number:03d}", [Span("mend", 60)])
        with closing(sqlite3.connect(self.path)) as db:
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            db.execute("PRAGMA journal_mode=DELETE")
            (page,) = db.execute("PRAGMA page_size").fetchone()
            roots = dict(db.execute("SELECT name, rootpage FROM sqlite_master"))
        data = bytearray(self.path.read_bytes())
        for name in ("sqlite_autoindex_jobs_1", "spans_of_job", "sqlite_autoindex_spans_1"):
            at = (roots[name] - 1) * page
            data[at : at + page] = np.random.default_rng(1).bytes(page)
        at = data.find(b"CREATE INDEX deliveries_of_job")
        data[at : at + 12] = b"CREATE JUNK "  # what it says of one index cannot be read
        self.path.write_bytes(data)
        return jobs

    def test_what_can_be_read_is_saved_past_a_spoilt_table_of_contents(self):
        jobs = self.damaged()
        with self.assertRaises(LogbookError) as caught, closing(Logbook(self.path)) as book:
            book.entries()
        self.assertEqual(caught.exception.reason, DAMAGED)
        aside, rows = repair(self.path)
        self.assertGreater(rows, 1.8 * jobs)
        self.assertTrue(aside.is_file())
        with closing(Logbook(self.path)) as book:
            self.assertEqual(book.check(), [])
            self.assertGreater(len(book.entries()), 0.9 * jobs)

    def test_not_while_somebody_has_it_open(self):
        self.filled(self.path)
        with closing(Logbook(self.path)):
            self.assertEqual(repair(self.path)[0], None)  # whole: nothing to do
            before = self.path.read_bytes()
            broken = mock.patch.object(Logbook, "check", lambda self: ["something"])
            with broken, self.assertRaises(LogbookError) as caught:
                repair(self.path)
            self.assertEqual(caught.exception.reason, BUSY)
        self.assertEqual(self.path.read_bytes(), before)

    def test_the_write_ahead_log_is_read_and_kept(self):
        self.filled(self.path)
        with closing(Logbook(self.path)) as book:
            book.note_job("late", title="Late", began="2026-11-05T09:00:00Z")
            for ending in ("", "-wal"):  # as a program that was killed leaves them
                shutil.copy2(f"{self.path}{ending}", self.folder / f"held{ending}")
        for ending in ("", "-wal"):
            shutil.copy2(self.folder / f"held{ending}", f"{self.path}{ending}")
        with mock.patch.object(Logbook, "check", lambda self: ["something"]), \
                mock.patch.object(Logbook, "close", lambda self: self._let_go()):  # so that nothing is folded in
            aside, _ = repair(self.path)
        self.assertTrue(aside.with_name(aside.name + "-wal").is_file())
        with closing(Logbook(self.path)) as book:
            self.assertEqual({e.title for e in book.entries()}, {"Wren", "Late"})

    def test_each_trouble_is_told_apart(self):
        def reason() -> str:
            with self.assertRaises(LogbookError) as caught:
                repair(self.path)
            return caught.exception.reason

        self.assertEqual(reason(), NONE)
        self.filled(self.path)
        with closing(sqlite3.connect(self.path)) as db:
            db.execute("PRAGMA user_version=99")
        self.assertEqual(reason(), NEWER)
        self.path.write_bytes(b"only words, and many of them " * 400)
        start = time.monotonic()
        self.assertEqual(reason(), NONE)
        self.assertLess(time.monotonic() - start, 2)
        self.path.unlink()
        self.filled(self.path)
        with closing(sqlite3.connect(self.path)) as other, mock.patch("lather.core.record.logbook._BUSY_S", 0.1):
            other.execute("BEGIN IMMEDIATE")
            with closing(Logbook(self.path)) as book, self.assertRaises(LogbookError) as caught:
                book.set_price("one", 5)
            self.assertEqual(caught.exception.reason, BUSY)
        with mock.patch.dict(os.environ, {"XDG_DATA_HOME": "/proc/nowhere"}), self.assertRaises(LogbookError) as caught:
            Logbook()
        self.assertEqual(caught.exception.reason, CLOSED)


class WaitingTest(DoorsCase):
    NOTE = DeliveryNote("Web", "/out/one.jpg", "JPEG", 10, 20, 500, "ab", "sRGB", "2026-11-03T10:00:00Z")

    def changes(self, book) -> None:
        book.note_job("one", title="Wren", began="2026-11-02T09:00:00Z")
        book.add_spans("one", [Span("mend", 60), Span("review", 5)])
        book.set_plan("one", {"mend": (70, 0.5)})
        book.set_finds("one", {"flake": 3})
        book.set_gauges("one", [GaugeNote("g", "G", np.float32(91.0), 90.0, 108.0, "%")])
        book.add_delivery("one", self.NOTE)
        book.add_practice(1, 2, 50.0, None, 60.0)

    def test_what_could_not_be_logged_is_entered_once_as_soon_as_it_can(self):
        self.path.parent.mkdir(parents=True)
        self.path.write_bytes(b"no logbook at all, only words" * 40)
        said = write_or_keep(self.changes)
        self.assertIn("kept", said)
        lines = waiting_file().read_bytes()
        self.path.unlink()
        with closing(Logbook()) as book:
            first, = book.entries()
        self.assertFalse(waiting_file().exists())
        waiting_file().write_bytes(lines + b'{"half a line')  # as after a kill between entering and clearing
        with closing(Logbook()) as book:
            second, = book.entries()
            self.assertEqual(len(book.practice()), 1)
        self.assertEqual(first, second)
        with closing(Logbook(":memory:")) as book:
            self.changes(book)
            expected, = book.entries()
        self.assertEqual((first.seconds, first.planned, first.mended, first.gauges, first.deliveries),
                         (expected.seconds, expected.planned, expected.mended, expected.gauges, expected.deliveries))

    def test_an_older_delivery_that_waited_does_not_hide_a_newer_one(self):
        Waiting().add_delivery("one", self.NOTE)
        lines = waiting_file().read_bytes()
        waiting_file().unlink()
        newer = DeliveryNote("Web", "/out/one.jpg", "JPEG", 99, 20, 500, "cd", "sRGB", "2026-11-09T10:00:00Z")
        with closing(Logbook()) as book:
            book.add_delivery("one", newer)
        waiting_file().write_bytes(lines)
        with closing(Logbook()) as book:
            self.assertEqual(book.entries()[0].deliveries, (newer,))

    def test_lines_that_are_none_cost_only_themselves(self):
        Waiting().set_price("one", 5)
        good = waiting_file().read_bytes()
        for wrong in (b'{"do": "close", "given": [], "named": {}, "id": "x"}', b'{"do": "add_spans", "given": [1], '
                      b'"named": {"uid": NaN}, "id": "x"}', b"[]", b'{"do": "note_job", "given": [], "named": {}}'):
            waiting_file().write_bytes(wrong + b"\n" + good)
            with closing(Logbook()) as book:
                used(book)
            self.assertFalse(waiting_file().exists())


class ManyJobsTest(DoorsCase):
    def test_asking_for_some_of_many_reads_only_those(self):
        with closing(Logbook(self.path)) as book:
            for number in range(40):
                book.note_job(f"j{number:02d}", title=f"Title {number}", client="Über", kind="beauty" if number % 2 else
                              "body", began=f"2026-{1 + number % 12:02d}-02T09:00:00Z", price_cents=100,
                              currency="EUR")
                book.add_spans(f"j{number:02d}", [Span("mend", 60)])
            everything = book.entries()
            self.assertEqual(book.entries(Which(kind="body")), [e for e in everything if e.kind == "body"])
            self.assertEqual(book.entries(Which(month="2026-03")), [e for e in everything if e.day[:7] == "2026-03"])
            self.assertEqual(book.entries(Which(words="title ÜBER 7", latest=2)),
                             [e for e in everything if "7" in e.title][:2])
            self.assertEqual(book.entry("j07").title, "Title 7")
            self.assertEqual(book.entry("none"), None)
            for which in (Which(), Which(kind="body"), Which(month="2026-03", words="über")):
                some, total = sums(book.entries(which)), book.totals(which)
                self.assertEqual((total.jobs, total.real_s, total.planned_s, total.finds, total.files,
                                  total.price_cents, total.earned_cents),
                                 (some.jobs, some.real_s, some.planned_s, some.finds, some.files, some.price_cents,
                                  some.earned_cents))
