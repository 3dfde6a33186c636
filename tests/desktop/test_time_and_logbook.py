"""Time logged from what the hands do, and the logbook on the screen."""

import csv
from contextlib import closing

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest

from lather.core.colour.profiles import srgb_profile
from lather.core.imageio.write import write_picture
from lather.core.job.brief import clock_text
from lather.core.job.commands import SetFinds
from lather.core.job.finds import Find
from lather.core.record.clock import Span
from lather.core.record.entries import DeliveryNote
from lather.core.record.logbook import Logbook
from lather.core.session import Session
from lather.desktop import settings
from tests.support.pictures import skin_like
from tests.support.window_case import WindowCase


class TimeTest(WindowCase):
    def setUp(self):
        super().setUp()
        path = self.folder / "photo.png"
        write_picture(path, skin_like(300, 400), profile=srgb_profile())
        session = Session.from_photo(path)
        finds = tuple(Find(f"f{n}", "blemish_dark", 120.0 + 60 * n, 150.0, 16.0, 9.0, 0.9) for n in range(3))
        session.history.amend(SetFinds(finds, None, ()))
        self.take(session)
        self.now = 1000.0
        time = self.window.time
        time.write()
        time.now = lambda: self.now
        time.clock._last = self.now
        time.clock._part.clear()
        self.begun = dict(time.seconds)

    def after(self, seconds: float) -> None:
        """Time goes by, then a hand moves."""
        self.now += seconds
        self.mouse(QEvent.Type.MouseMove, 30, 30, down=False)

    def worked(self, stage: str) -> int:
        self.window.time.write()
        return self.window.time.seconds.get(stage, 0) - self.begun.get(stage, 0)

    def test_seconds_go_to_the_stage_in_hand_and_idle_ones_to_none(self):
        self.after(20)
        self.after(45)
        self.after(300)  # away
        self.assertEqual(self.worked("mend"), 65)
        QTest.keyClick(self.canvas, Qt.Key.Key_4)
        self.after(30)
        self.assertEqual(self.worked("even"), 30)
        self.window.show_screen("review")
        self.now += 10
        QTest.mouseMove(self.window.screens["review"].canvas)
        self.window.time.clock.seen(self.now)
        self.assertEqual(self.worked("review"), 10)
        self.assertEqual(self.worked("mend"), 65)

    def test_the_strip_and_the_header_show_it_and_it_outlives_the_program(self):
        for _ in range(4):
            self.after(50)
        self.window.time.write()
        self.assertIn("3 min", self.desk.course.cells["mend"].time.text())
        self.assertIn("3 min", self.window.header.clock.text())
        self.window.records.wait()
        with closing(Logbook()) as book:  # as another program would see it after this one was killed
            self.assertGreaterEqual(book.seconds(self.job.job.id)["mend"], 200)
        path = self.folder / "job.lather"
        self.window._save_to(path)
        self.wait(lambda: not self.job.saving)
        self.assertGreaterEqual(Session.open(path).logged_seconds()["mend"], 200)  # on another machine

    def test_p_pauses_and_goes_on(self):
        self.after(20)
        self.key(Qt.Key.Key_P)
        self.assertIn("paused", self.window.header.clock.text())
        self.after(30)
        self.after(30)
        QTest.mouseClick(self.window.header.clock, Qt.MouseButton.LeftButton)
        self.assertNotIn("paused", self.window.header.clock.text())
        self.after(15)
        self.assertEqual(self.worked("mend"), 35)

    def test_a_find_mended_by_key_takes_the_seconds_since_the_last(self):
        self.after(10)
        self.key(Qt.Key.Key_W)
        self.after(12)
        self.key(Qt.Key.Key_E)
        self.wait(lambda: self.job.job.mended_finds(), 20)
        self.window.time.write()
        self.window.records.wait()
        with closing(Logbook()) as book:
            entry = next(e for e in book.entries() if e.job_id == self.job.job.id)
        count, seconds = entry.spent["mend", "blemish_dark"]
        self.assertEqual(count, 1)
        self.assertTrue(20 <= seconds <= 24, seconds)

    def test_a_rest_is_called_for_once_after_fifty_minutes(self):
        for _ in range(51):
            self.after(59)
        self.assertIn("rest", self.window.notice.text())
        self.window.notice.clear()
        self.after(59)
        self.assertNotIn("rest is good", self.window.notice.text())


class LogbookScreenTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.window.show_screen("logbook")
        self.screen = self.window.screens["logbook"]
        self.window.records.write(self._fill)
        self.window.records.wait()
        self.screen.load()
        self.wait(self.screen.idle)

    @staticmethod
    def _fill(book: Logbook) -> None:
        for entry in book.entries():
            book.forget(entry.job_id)
        for number, (title, kind) in enumerate((("Wren, cards", "beauty"), ("Tilda", "body"), ("Pip", "beauty"))):
            name = f"job{number}"
            book.note_job(name, title=title, kind=kind, route="light", rate_cents=4800, price_cents=1000 + number,
                          currency="EUR", began=f"2026-1{number % 2}-05T09:00:00Z")
            book.add_spans(name, [Span("mend", 601 + number), Span("mend", 40, "flake", 4), Span("mend", -40)])
            book.set_plan(name, {"mend": (600, 0.0)})
            book.set_finds(name, {"flake": 4})
            book.add_delivery(name, DeliveryNote("Web", f"/{name}.jpg", "JPEG", 1, 1, 1, "0", "sRGB",
                                                 f"2026-1{number % 2}-06T09:00:00Z"))

    def column(self, number: int) -> list[str]:
        model = self.screen.table.model
        return [model.data(model.index(row, number)) for row in range(model.rowCount())]

    def test_it_opens_without_a_job_and_its_sums_are_of_the_rows_shown(self):
        self.assertEqual(len(self.column(1)), 3)
        self.assertEqual(self.screen.table.sums[4].text(), clock_text(601 + 602 + 603))
        self.assertEqual(self.screen.table.sums[9].text(), "30.03 EUR")
        self.screen.search.setFocus()
        QTest.keyClicks(self.screen.search, "wren")
        self.assertEqual(self.column(1), ["Wren, cards"])
        self.assertEqual(self.screen.table.sums[1].text(), "1 of 3 jobs")
        self.screen.search.clear()
        self.screen.setFocus()
        self.screen.kind.setCurrentIndex(self.screen.kind.findData("beauty"))
        self.screen.kind.activated.emit(self.screen.kind.currentIndex())
        self.assertEqual(len(self.column(1)), 2)
        self.screen.month.setCurrentIndex(self.screen.month.findData("2026-11"))
        self.screen.month.activated.emit(0)
        self.assertEqual(len(self.column(1)), 0)
        QTest.keyClick(self.window, Qt.Key.Key_Escape)
        self.assertIs(self.window.screen, self.window.screens["start"])

    def test_columns_sort_and_own_speeds_say_what_is_still_shipped(self):
        self.screen.table.view.sortByColumn(4, Qt.SortOrder.AscendingOrder)
        self.assertEqual(self.column(1), ["Wren, cards", "Tilda", "Pip"])
        self.screen.table.view.sortByColumn(1, Qt.SortOrder.AscendingOrder)
        self.assertEqual(self.column(1), ["Pip", "Tilda", "Wren, cards"])
        said = self.screen.speeds_said.text()
        self.assertIn("3 jobs", said)
        self.assertNotIn("flake", said)
        self.assertIn("braces", said)

    def test_demo_jobs_come_by_a_switch_and_leave_own_speeds_alone(self):
        said = self.screen.speeds_said.text()
        QTest.mouseClick(self.screen.demo, Qt.MouseButton.LeftButton)
        self.wait(lambda: len(self.column(1)) > 40)
        self.assertEqual(self.screen.speeds_said.text(), said)
        pictures = []
        for first, last in (("stage", "earned"), ("time", "plan")):
            self.screen.first.button(first).click()
            self.screen.last.button(last).click()
            self.pump(0.05)
            pictures.append(self.screen.grab().toImage())
        self.assertNotEqual(*pictures)
        for chart in (self.screen.stages, self.screen.months, self.screen.speed, self.screen.plan, self.screen.earned):
            self.assertTrue(chart.said, chart.name)
        QTest.mouseClick(self.screen.demo, Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.column(1)), 3)

    def test_what_is_shown_goes_out_as_csv_and_a_job_is_opened_from_its_row(self):
        path = self.folder / "log.csv"
        self.screen.save_csv(path)
        rows = list(csv.DictReader(path.open()))
        self.assertEqual([row["job"] for row in rows], self.column(1))
        saved = self.folder / "pip.lather"
        write_picture(self.folder / "pip.png", skin_like(60, 60), profile=srgb_profile())
        Session.from_photo(self.folder / "pip.png", title="Pip").save(saved)
        settings.remember(saved, "job2")
        self.screen.table.view.selectRow(self.column(1).index("Pip"))
        self.screen.setFocus()
        QTest.keyClick(self.screen, Qt.Key.Key_Return)
        self.assertEqual(self.window.job.session.job_file, saved)
        self.window.show_screen("logbook")
        screen = self.window.screens["logbook"]
        self.wait(screen.idle)
        entry = next(e for e in screen.entries if e.job_id == "job0")
        self.window.open_logged(entry)
        self.assertIn("was not saved on this machine", self.window.notice.text())
