"""What nobody foresaw: a sentence on the screen, its traceback in the log, and a report that names nobody."""

import logging
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lather.core import log
from lather.core.engine.live import LiveStroke
from lather.core.job.commands import SetBrief
from lather.desktop.app import _report
from lather.desktop.background import Background
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from tests.support.logged import LogCase
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase


class FaultCase(LogCase, WindowCase):
    def setUp(self):
        super().setUp()
        self.take(session_of(skin_like(300, 400), name="secret-person.jpg"))
        self.canvas.zoom_to(1.0)
        self.settle()

    @property
    def button(self):
        return self.window.notice.copy_report


class WorkersTest(FaultCase):
    def test_a_stroke_that_fails_is_told_and_its_traceback_is_in_the_log(self):
        with mock.patch.object(LiveStroke, "extend", side_effect=ZeroDivisionError("out of order")):
            self.click(150, 150)
        self.assertIn("could not be computed", self.window.notice.text())
        self.assertLogged("ZeroDivisionError: out of order", "stroke_worker.py")
        self.assertTrue(self.button.isVisible())

    def test_after_a_stroke_that_fails_under_the_moving_pen_one_paints_on(self):
        with mock.patch.object(LiveStroke, "extend", side_effect=ZeroDivisionError("out of order")):
            self.drag([(150, 150), (170, 150), (190, 160), (210, 150)])
        self.assertFalse(self.desk.control.painting)
        self.assertEqual(len(self.job.layer.edits), 0)
        self.drag([(150, 150), (170, 150)])
        self.assertEqual(len(self.job.layer.edits), 1)

    def test_work_beside_the_window(self):
        told = []
        background = Background(self.window)
        background.run("test", lambda task: [][1], told.append, failed=told.append)
        self.wait(background.idle)
        self.assertIn("could not be worked out", told[0])
        self.assertLogged("IndexError", "background.py")

    def test_a_tile(self):
        engine = self.job.session.engine
        with mock.patch.object(type(engine), "tile", side_effect=ArithmeticError("no tile")):
            self.canvas.zoom_to(0.5)
            self.wait(lambda: "Part of the picture" in self.window.notice.text())
        self.assertLogged("ArithmeticError: no tile", "scheduler.py")

    def test_saving(self):
        with mock.patch("lather.desktop.opening.open_job.save_job", side_effect=RuntimeError("no save")):
            self.job.save(self.folder / "job.lather")
            self.wait(lambda: not self.job.saving)
        self.assertIn("could not be saved", self.window.notice.text())
        self.assertLogged("RuntimeError: no save", "open_job.py")
        self.assertFalse((self.folder / "job.lather").exists())

    def test_a_slot(self):
        with mock.patch("sys.__excepthook__"):
            _report(self.window, ValueError, ValueError("in a slot"), None)
        self.assertLogged("ValueError: in a slot")
        self.assertTrue(self.button.isVisible())


class ReportTest(FaultCase):
    def test_it_is_copied_without_names_unless_they_are_let_in(self):
        self.job.do(SetBrief("client", "Somebody Known"))
        logging.getLogger("lather.test").warning("/home/me/photos/secret-person.jpg of Somebody Known was read")
        self.window.warn(log.unexpected(logging.getLogger("lather.test"), KeyError("x"), "It went wrong."))
        for answer, there in (("Leave names out", False), ("Name them", True)):
            asked = self.answer(answer)
            QTest.mouseClick(self.button, Qt.MouseButton.LeftButton)
            self.assertIn("Nothing is sent", asked[0])
            text = QApplication.clipboard().text()
            self.assertIn("Lather 0.", text.split("\n")[0])
            self.assertIn("KeyError", text)
            self.assertEqual("secret-person" in text, there)
            self.assertEqual("Somebody Known" in text, there)
            self.assertIn("is copied", self.window.notice.text())
            self.window.warn("It went wrong.")

    def test_an_ordinary_warning_has_no_button(self):
        self.window.warn("The folder is not there.")
        self.assertFalse(self.button.isVisible())
        whole, _ = self.window.notice.shown_lines()
        self.window.warn(log.unexpected(logging.getLogger("lather.test"), KeyError("x"), "That went wrong. " * 12))
        self.pump()
        self.assertTrue(self.button.isVisible())
        self.assertEqual(len(whole), 1)
        lines, _ = self.window.notice.shown_lines()
        metrics = QFontMetricsF(font(SMALL_PT))
        widest = max(metrics.horizontalAdvance(line) for line in lines)
        self.assertLess(widest, self.button.x())  # the words give way to the button
        self.window.notice.clear()
        self.assertFalse(self.button.isVisible())
