"""Time as it is really worked, the logbook that keeps it, and what follows from both."""

import csv
import io
import os
import sqlite3
import unittest
from contextlib import closing
from datetime import date

import numpy as np

from lather.core.record.clock import ActivityClock, Span
from lather.core.record.demo import COUNT, demo_entries
from lather.core.record.entries import DeliveryNote, GaugeNote, earned_an_hour, matches, sums
from lather.core.record.logbook import Logbook, LogbookError, TakenIn
from lather.core.record.logbook_repair import repair
from lather.core.record.statistics import as_csv, earned, minutes_by_stage, minutes_over_time, seconds_per_find
from tests.support.folder_case import FolderCase


def total(spans, **which) -> int:
    return sum(span.seconds for span in spans if all(getattr(span, key) == value for key, value in which.items()))


class ClockTest(unittest.TestCase):
    def test_gaps_of_up_to_a_minute_count_and_longer_ones_do_not(self):
        clock = ActivityClock("mend")
        for at in (0, 10, 70, 131, 140):  # 60 s count, 61 s do not
            clock.seen(at)
        self.assertEqual(clock.take(), [Span("mend", 79)])

    def test_whole_seconds_are_handed_out_and_none_is_lost(self):
        rng = np.random.default_rng(1)
        clock, now, spans, worked = ActivityClock("mend"), 0.0, [], 0.0
        clock.seen(now)
        for _ in range(2000):
            gap = float(rng.exponential(6.0))
            now += gap
            worked += gap if gap <= 60 else 0
            clock.seen(now)
            if rng.random() < 0.1:
                spans += clock.take()
            if rng.random() < 0.05:
                clock.mended(["flake"] * int(rng.integers(1, 4)), now)
        spans += clock.take()
        self.assertLess(abs(total(spans) - worked), 1.0)
        self.assertTrue(all(isinstance(span.seconds, int) for span in spans))

    def test_time_goes_to_the_stage_in_hand_and_to_the_find_that_it_was_spent_on(self):
        clock = ActivityClock("mend")
        clock.seen(0)
        clock.seen(12)
        clock.mended(["blemish_dark"], 20)
        clock.enter("even", 50)
        clock.mended(["blotch_dark", "blotch_bright"], 90)
        spans = clock.take()
        self.assertEqual(total(spans, kind="blemish_dark"), 20)
        self.assertEqual(total(spans, stage="mend"), 50)
        self.assertEqual(total(spans, stage="mend", kind=""), 30)
        self.assertEqual((total(spans, kind="blotch_dark"), total(spans, kind="blotch_bright")), (20, 20))
        self.assertEqual(total(spans), 90)

    def test_a_pause_counts_nothing(self):
        clock = ActivityClock("mend")
        clock.seen(0)
        clock.pause(30)
        clock.seen(50)
        clock.mended(["flake"], 55)
        clock.go_on(60)
        clock.seen(70)
        self.assertEqual(clock.take(), [Span("mend", 40)])

    def test_a_rest_is_due_after_fifty_minutes_without_five_of_rest(self):
        clock = ActivityClock("mend")
        for at in range(0, 49 * 60, 30):
            clock.seen(at)
        self.assertFalse(clock.rest_due)
        clock.seen(54 * 60 + 40)  # five minutes away
        for at in range(54 * 60 + 40, 100 * 60, 30):
            clock.seen(at)
        self.assertFalse(clock.rest_due)
        for at in range(100 * 60, 106 * 60, 30):
            clock.seen(at)
        self.assertTrue(clock.rest_due)
        clock.rested()
        self.assertFalse(clock.rest_due)


class LogbookTest(FolderCase):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "logbook.sqlite"
        self.book = Logbook(self.path)
        self.addCleanup(lambda: self.book.close())

    def fill(self, book: Logbook, name: str, *, price: int | None = 3600, seconds: int = 1800) -> None:
        book.note_job(name, title=f"Title {name}", client="Alder", kind="beauty", route="light", rate_cents=4800,
                      price_cents=price, currency="EUR", began="2026-11-02T09:00:00Z")
        book.add_spans(name, [Span("mend", seconds), Span("mend", 30, "flake", 3), Span("mend", -30),
                              Span("review", 60)])
        book.set_plan(name, {"mend": (1700, 0.0), "around": (100, 0.0)})
        book.set_finds(name, {"flake": 3, "mole": 1})
        book.set_gauges(name, [GaugeNote("texture_kept", "Skin texture kept", 91.0, 90.0, 108.0, "%")])
        book.add_delivery(name, DeliveryNote("Web", f"/out/{name}.jpg", "JPEG", 100, 200, 5000, "ab", "sRGB",
                                             "2026-11-03T10:00:00Z"))

    def test_an_entry_comes_back_as_it_was_told(self):
        self.fill(self.book, "one")
        (entry,) = self.book.entries()
        self.assertEqual((entry.title, entry.client, entry.kind, entry.day), ("Title one", "Alder", "beauty",
                                                                              "2026-11-03"))
        self.assertEqual((entry.real_s, entry.planned_s, entry.against_plan_s), (1860, 1800, 60))
        self.assertEqual(entry.spent["mend", "flake"], (3, 30))
        self.assertEqual((entry.finds, len(entry.deliveries), entry.gauge_state), (4, 1, "near"))
        self.assertEqual(entry.earned_cents, earned_an_hour(3600, 1860))
        self.assertEqual(entry.earned_cents, 6968)  # 36.00 in 31 minutes, rounded half up
        self.assertEqual(self.book.seconds("one"), {"mend": 1800, "review": 60})

    def test_sums_are_of_what_is_shown_and_filters_hold(self):
        for number, price in enumerate((1000, 2550, None)):
            self.fill(self.book, f"job{number}", price=price, seconds=600 + number)
        entries = self.book.entries()
        total_ = sums(entries)
        self.assertEqual(total_.real_s, sum(e.real_s for e in entries))
        self.assertEqual((total_.price_cents, total_.files, total_.finds), ({"EUR": 3550}, 3, 12))
        priced = sum(e.real_s for e in entries if e.price_cents is not None)
        self.assertEqual(total_.earned_cents, earned_an_hour(3550, priced))
        self.assertEqual(len([e for e in entries if matches(e, words="TITLE job1")]), 1)
        self.assertEqual(len([e for e in entries if matches(e, kind="body")]), 0)
        self.assertEqual(len([e for e in entries if matches(e, month="2026-11", gauges="near", route="light")]), 3)

    def test_charts_and_csv_tell_the_same_as_the_table(self):
        self.fill(self.book, "=one")
        self.fill(self.book, "two", price=1250)
        entries = self.book.entries()
        self.assertEqual(sum(row.real_s for row in minutes_by_stage(entries)), sum(e.real_s for e in entries))
        self.assertEqual(sum(row.planned_s for row in minutes_by_stage(entries)), sum(e.planned_s for e in entries))
        self.assertEqual(sum(minutes_over_time(entries)[0][1].values()), sum(e.real_s for e in entries))
        self.assertEqual([(one.kind, one.latest) for one in seconds_per_find(entries)], [("flake", 10.0)])
        self.assertEqual([one.under for one in earned(entries)].count(True), 1)
        self.book.note_job("=one", title="=cmd()")
        rows = list(csv.DictReader(io.StringIO(as_csv(self.book.entries()))))
        self.assertEqual({row["price"] for row in rows}, {"36.00", "12.50"})
        self.assertIn("'=cmd()", [row["job"] for row in rows])  # no formula for a spreadsheet
        self.assertEqual(sum(int(row["real_seconds"]) for row in rows), sum(e.real_s for e in entries))

    def test_a_backup_is_whole_and_another_machine_is_taken_in_once(self):
        self.fill(self.book, "here")
        copy = self.folder / "copy.sqlite"
        self.book.back_up(copy)
        with closing(Logbook(copy)) as other:
            self.assertEqual(other.entries(), self.book.entries())
            self.fill(other, "there")
            other.add_spans("here", [Span("even", 40)])
        self.assertEqual(self.book.take_in(copy), TakenIn(1, 5, 0))
        self.assertEqual(self.book.take_in(copy), TakenIn(0, 0, 0))
        self.assertEqual({e.job_id for e in self.book.entries()}, {"here", "there"})
        self.assertEqual(self.book.seconds("here")["even"], 40)
        with self.assertRaises(LogbookError):
            self.book.take_in(self.folder / "none.sqlite")
        (self.folder / "x.sqlite").write_bytes(b"no database at all, only words" * 40)
        with self.assertRaises(LogbookError):
            self.book.take_in(self.folder / "x.sqlite")

    def test_a_file_delivered_again_is_one_file(self):
        self.fill(self.book, "one")
        self.fill(self.book, "one")
        self.assertEqual(len(self.book.entries()[0].deliveries), 1)

    def test_a_damaged_logbook_says_so_and_is_repaired_as_far_as_it_can_be_read(self):
        for number in range(60):
            self.fill(self.book, f"job{number:02d}")
        self.assertEqual(self.book.check(), [])
        self.book.close()
        self.assertEqual(repair(self.path)[0], None)
        with closing(sqlite3.connect(self.path)) as db:
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            (page,) = db.execute("PRAGMA page_size").fetchone()
            (root,) = db.execute("SELECT rootpage FROM sqlite_master WHERE name = 'sqlite_autoindex_jobs_1'").fetchone()
        data = bytearray(self.path.read_bytes())
        data[(root - 1) * page : root * page] = os.urandom(page)
        self.path.write_bytes(data)
        aside, rows = repair(self.path)
        self.assertTrue(aside.is_file())
        self.assertGreater(rows, 500)
        self.book = Logbook(self.path)
        self.assertEqual(self.book.check(), [])
        self.assertEqual(sum(e.real_s for e in self.book.entries()), 60 * 1860)
        self.book.close()
        self.path.write_bytes(b"rubbish" * 1000)
        with self.assertRaises(LogbookError) as caught:
            Logbook(self.path)
        self.assertIn("is no logbook", caught.exception.message)

    def test_a_newer_logbook_is_left_alone(self):
        self.book.close()
        with closing(sqlite3.connect(self.path)) as db:
            db.execute("PRAGMA user_version=99")
        with self.assertRaises(LogbookError):
            Logbook(self.path)

    def test_a_change_is_made_whole_or_not_at_all(self):
        with self.assertRaises(LogbookError):
            self.book.add_spans("job", [Span("mend", 5), Span("mend", None)])
        self.assertEqual(self.book.seconds("job"), {})


class DemoTest(unittest.TestCase):
    def test_the_demo_jobs_are_the_same_for_the_same_day_and_all_marked(self):
        entries = demo_entries(date(2026, 11, 28))
        self.assertEqual(len(entries), COUNT)
        self.assertEqual(entries, demo_entries(date(2026, 11, 28)))
        self.assertTrue(all(e.demo and e.real_s and e.planned_s and e.price_cents for e in entries))
        self.assertLessEqual(max(e.day for e in entries), "2026-11-28")
        kinds = {one.kind for one in seconds_per_find(entries)}
        self.assertEqual(len(kinds), 4)
