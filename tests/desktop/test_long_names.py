"""Names of two hundred characters everywhere, at two window sizes: nothing is cut, nothing overlaps, nothing grows."""

import re
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractScrollArea, QComboBox, QLabel, QLineEdit, QStackedWidget, QWidget

from lather.core.job.commands import AddLayer, SetBrief, SetFinds, SetLayer
from lather.core.job.finds import Find
from lather.core.job.model import Layer, new_id
from lather.core.journal.journal import Leftover
from lather.core.kinds.registry import KINDS
from lather.core.stages.registry import STAGES
from lather.desktop.screens.start import StartScreen
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.gauge import Gauge
from lather.desktop.widgets.name_and_value import name_width, shown_name
from lather.desktop.widgets.value_slider import ValueSlider
from lather.desktop.window.message_line import MessageLine
from tests.support.pictures import session_of, skin_like
from tests.support.window_case import WindowCase

LONG = "Sibylle-Antoinette von und zu Hohenlinden, autumn campaign, second retake of the evening frames " * 3
LONG = LONG[:200]
UNBROKEN = "x" * 200
SIZES = ((1280, 800), (1024, 700))


def long_session():
    """A job in which every name that a person may give is two hundred characters long."""
    session = session_of(skin_like(700, 900), name=f"{UNBROKEN}.png")
    zones = ("under-eye, right", "forehead", "cheek, left")
    finds = []
    for number, kind in enumerate(KINDS):
        x, y = 60.0 + 30 * (number % 25), 100.0 + 120 * (number // 25)
        path = ((x, y), (x + 9, y + 4)) if kind in ("crease", "hair_on_skin", "stray_hair") else None
        finds.append(Find(f"{kind}-1", kind, x, y, 118.0, 21.4, 0.9, zones[number % 3], kind == "mole", path=path,
                          width_px=12.0 if path else None))
    session.history.amend(SetFinds(tuple(finds), None))
    session.history.do(SetBrief("title", LONG))
    session.history.do(SetBrief("frame", LONG))
    session.history.do(SetBrief("kind", "newborn/child"))
    for stage in STAGES:
        for number in range(9):
            settings = {"band": "tone", "width_px": 6.0} if stage.id == "split" else {}
            layer = Layer(new_id(), f"{number} {UNBROKEN if number % 2 else LONG}"[:200], stage.kind.id,
                          settings=settings)
            session.history.do(AddLayer(stage.id, layer, number))
    first = session.job.stage("mend").layers[0]
    session.history.do(SetLayer("mend", first.id, "name", LONG))
    return session


class LongNamesTest(WindowCase):
    def check(self, where: str) -> None:
        """Everything that is visible has room for its text or says the whole of it in its tip; neighbours are apart."""
        screen = self.window.centralWidget()
        for widget in screen.findChildren(QWidget):
            if not widget.isVisible() or widget.width() < 2:
                continue
            told = f"{where}: {type(widget).__name__} {self.text_of(widget)[:40]!r}"
            inside = QRect(widget.mapTo(screen, widget.rect().topLeft()), widget.rect().size())
            if not self.scrolls(widget):
                self.assertTrue(screen.rect().contains(inside), f"{told} leaves the window: {inside}")
            self.check_text(widget, told)
            self.check_children(widget, where)

    @staticmethod
    def text_of(widget) -> str:
        text = getattr(widget, "text", None)
        return text() if callable(text) else ""

    @staticmethod
    def scrolls(widget: QWidget) -> bool:
        parent = widget
        while parent is not None:
            if isinstance(parent, QAbstractScrollArea) and parent is not widget:
                return True
            parent = parent.parentWidget()
        return False

    def check_text(self, widget: QWidget, told: str) -> None:
        metrics = widget.fontMetrics()
        if isinstance(widget, ElidedLabel):
            if widget.shown_text() != widget.text():
                self.assertIn(widget.text(), widget.toolTip(), told)
            self.assertGreaterEqual(widget.height(), metrics.height(), told)
        elif isinstance(widget, MessageLine):
            if widget.shown_lines()[1]:
                self.assertEqual(widget.toolTip(), widget.text(), told)
        elif isinstance(widget, QLabel) and widget.text():
            if widget.wordWrap():
                self.assertLessEqual(widget.heightForWidth(widget.width()), widget.height() + 2, told)
                words = widget.text().replace("\n", " ").replace("\u200b", " ").split(" ")
                longest = max(words, key=metrics.horizontalAdvance)
                self.assertLessEqual(metrics.horizontalAdvance(longest), widget.width() + 1, told)
            else:
                widest = max(map(metrics.horizontalAdvance, re.sub("</?b>", "", widget.text()).split("\n")))
                self.assertLessEqual(widest, widget.width() + 1, told)
        elif isinstance(widget, QAbstractButton) and widget.text():
            self.assertLessEqual(metrics.horizontalAdvance(widget.text()), widget.width(), told)
        elif isinstance(widget, ValueSlider | Gauge):
            value = widget.shown_value() if isinstance(widget, ValueSlider) else widget.text()
            self.assertGreater(name_width(value, widget.width()), 30, told)
            if len(widget.name) < 12:
                self.assertEqual(shown_name(widget.name, value, widget.width()), widget.name, told)

    def check_children(self, widget: QWidget, where: str) -> None:
        """Siblings in a layout do not lie on each other."""
        if widget.layout() is None or isinstance(widget, QStackedWidget):
            return
        shown = [w for w in widget.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)
                 if (w.isVisible() and not isinstance(w, QLineEdit | QComboBox)) or w.isVisible()]
        for number, one in enumerate(shown):
            for other in shown[number + 1 :]:
                common = one.geometry().intersected(other.geometry())
                self.assertTrue(common.width() <= 1 or common.height() <= 1,
                                f"{where}: {type(one).__name__} {self.text_of(one)[:30]!r} lies on "
                                f"{type(other).__name__} {self.text_of(other)[:30]!r}")

    def every_view(self):
        job = self.window.job
        for info in STAGES:
            job.choose_stage(info.id)
            for tool in info.tools_for(job.layer):
                self.desk.brush_strip.choose(tool)
                self.pump(0.02)
                yield f"{info.id} {tool}"
        job.choose_stage("mend")
        self.desk.show_list("mends")
        self.pump(0.02)
        yield "mends"
        self.desk.show_list("finds")
        self.window.warn(f"{UNBROKEN}.png is damaged and cannot be read; get a fresh copy. {LONG}")
        self.pump(0.02)
        yield "problem"
        table = self.window.screens["logbook"].table
        for screen in ("brief", "review", "deliver", "logbook"):
            self.window.show_screen(screen)
            self.pump(0.05)
            self.wait(lambda: not table._later.isActive())  # sums stand under their columns once those have places
            yield screen
        deliver = self.window.screens["deliver"]
        deliver.state.setText(f"Delivered: /home/{UNBROKEN}/{UNBROKEN}.jpg")
        self.pump(0.02)
        yield "delivered"

    def test_a_job_full_of_long_names_at_two_sizes(self):
        self.take(long_session())
        for size in SIZES:
            self.window.resize(*size)
            self.window.show_screen("desk")
            self.pump(0.05)
            for view in self.every_view():
                self.assertEqual((self.window.width(), self.window.height()), size, view)
                self.check(f"{view} at {size[0]}×{size[1]}")

    def test_the_start_page_with_long_names(self):
        long = Path("/home") / UNBROKEN / f"{UNBROKEN}.lather"
        leftover = Leftover(long, LONG, long, None, 12, None, False, [], {})
        for size in SIZES:
            start = StartScreen([str(long)] * 6, [leftover, replace(leftover, title=UNBROKEN), leftover])
            self.window.stack.addWidget(start)
            self.window.stack.setCurrentWidget(start)
            self.window.resize(*size)
            self.pump(0.05)
            self.assertEqual((self.window.width(), self.window.height()), size)
            self.check(f"start at {size[0]}×{size[1]}")
            self.window.stack.removeWidget(start)
            start.hide()
            start.deleteLater()

    def test_all_stages_and_tools_have_one_minimum_width(self):
        self.take(session_of(skin_like(300, 400)))
        self.window.resize(1024, 700)
        least = set()
        for info in STAGES:
            self.window.job.choose_stage(info.id)
            for tool in info.tools_for(self.window.job.layer):
                self.desk.brush_strip.choose(tool)
                self.pump(0.02)
                self.assertLessEqual(self.desk.minimumSizeHint().width(), 1024, tool)
                least.add((self.window.minimumWidth(), self.window.minimumSize().height()))
        self.assertEqual(least, {(1024, 680)})

    def test_find_rows_and_values_are_whole_beside_a_scroll_bar(self):
        self.take(long_session())
        self.window.resize(1024, 700)
        self.pump(0.1)
        rows = self.desk.finds.list
        self.assertTrue(rows.verticalScrollBar().isVisible())
        for row in range(rows.model().rowCount()):
            box = rows.visualRect(rows.model().index(row, 0))
            self.assertLessEqual(box.right(), rows.viewport().width())
        scroll = next(a for a in self.desk.right.findChildren(QAbstractScrollArea) if a.isVisible())
        self.assertTrue(scroll.verticalScrollBar().isVisible())
        viewport = scroll.viewport()
        for row in self.desk.layers.rows:
            right = row.strength.mapTo(viewport, row.strength.rect().topRight()).x()
            self.assertLessEqual(right, viewport.width())
            self.assertLessEqual(row.strength.fontMetrics().horizontalAdvance("100 %"), row.strength.width() + 1)
