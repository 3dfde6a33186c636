"""Logbook: jobs with their time, finds, gauges and earnings; charts that say where the time goes."""

import logging
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from lather.core import log
from lather.core.errors import LatherError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.files import is_same_file
from lather.core.job.brief import clock_text
from lather.core.job.limits import job_kinds
from lather.core.kinds.registry import kind_of
from lather.core.phrases import phrase
from lather.core.plan.minutes import shipped_speeds
from lather.core.plan.routes import ROUTES
from lather.core.record.demo import demo_entries
from lather.core.record.entries import LogEntry, matches
from lather.core.record.logbook import logbook_path
from lather.core.record.logbook_repair import repair
from lather.core.record.own_speed import own_speeds
from lather.core.record.statistics import (
    against_plan,
    as_csv,
    earned,
    minutes_by_stage,
    minutes_over_time,
    seconds_per_find,
)
from lather.desktop.background import Background
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.logbook.charts import Chart, EarnedChart, MonthChart, PlanChart, SpeedChart, StageChart
from lather.desktop.logbook.records import Records
from lather.desktop.logbook.table import LogTable
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import Card
from lather.desktop.widgets.switch import Switch
from lather.desktop.window.message_line import MessageLine

_log = logging.getLogger(__name__)
_MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
           "November", "December")
_GAUGES = {"": "All gauges", "inside": "All inside", "near": "Near a limit", "over": "Over a limit"}
_HEAD_PX = 28
_HINT = "Enter opens the job. Demo jobs are made up and never count in your own speeds."


class LogbookScreen(QWidget):
    """`message(text)`, `job_wanted(LogEntry)`: open it."""

    message = pyqtSignal(object)
    job_wanted = pyqtSignal(object)

    def __init__(self, records: Records, parent=None):
        super().__init__(parent)
        self.records = records
        self._background = Background(self)
        self._own: list[LogEntry] = []
        self._demo: list[LogEntry] = []
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find a job or a client"))
        self.search.setAccessibleName("Find a job or a client")
        self.month, self.kind, self.route, self.gauges = (QComboBox() for _ in range(4))
        for box, name in ((self.month, "Month"), (self.kind, "Kind of job"), (self.route, "Route"),
                          (self.gauges, "Gauges at delivery")):
            box.setAccessibleName(name)
            box.setMinimumContentsLength(6)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            box.setMaximumWidth(150)
        self.demo = Switch("Demo jobs, made up", False)
        self.csv, self.backup = QPushButton(tr("Save as CSV")), QPushButton(tr("Back up"))
        self.more = QPushButton(tr("More"))
        self.more.setObjectName("menu")
        self.table = LogTable()
        self.stages, self.months, self.speed = StageChart(), MonthChart(), SpeedChart()
        self.plan, self.earned = PlanChart(), EarnedChart()
        self.first = Choices("First chart", {"stage": "by stage", "time": "over time"}, "stage")
        self.last = Choices("Last chart", {"earned": "an hour", "plan": "plan"}, "earned")
        self.speeds_said = ElidedLabel()
        self.speeds_said.setObjectName("quiet")
        self.speeds_said.setFont(font(SMALL_PT))
        self.messages = MessageLine()
        self._arrange()
        self._connect()

    def _arrange(self) -> None:
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setProperty(TAKES_COMMANDS, True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        body = QVBoxLayout()
        body.setContentsMargins(14, 10, 14, 8)
        body.setSpacing(8)
        whole.addLayout(body, 1)
        whole.addWidget(self.messages)
        self.messages.show_hint(_HINT)
        head = QHBoxLayout()
        head.setSpacing(8)
        self.search.setMinimumWidth(110)
        self.search.setMaximumWidth(200)
        for widget in (self.search, self.month, self.kind, self.route, self.gauges):
            head.addWidget(widget, 2)
        head.addStretch(1)
        head.addWidget(self.demo)
        head.addWidget(QLabel(tr("demo jobs")))
        head.addSpacing(6)
        for button in (self.csv, self.backup, self.more):
            head.addWidget(button)
        body.addLayout(head)
        body.addWidget(self.table, 3)
        charts = QHBoxLayout()
        charts.setSpacing(12)
        for title, switcher, parts in (("Minutes", self.first, (self.stages, self.months)),
                                       ("Seconds per find", None, (self.speed,)),
                                       ("Earned and planned", self.last, (self.earned, self.plan))):
            charts.addWidget(self._card(title, switcher, parts), 1)
        body.addLayout(charts, 2)
        self.months.hide()
        self.plan.hide()

    def _card(self, title: str, switcher: Choices | None, parts: tuple[Chart, ...]) -> Card:
        card = Card(margins=(12, 8, 12, 6))
        head = card.add_head(title)
        head.addStrut(_HEAD_PX)
        if switcher is not None:
            head.addWidget(switcher)
        for part in parts:
            card.column.addWidget(part, 1)
        if parts[0] is self.speed:
            card.column.addWidget(self.speeds_said)
        return card

    def _connect(self) -> None:
        self.kind.addItem(tr("All kinds of job"), "")
        for kind in job_kinds():
            self.kind.addItem(tr(kind.capitalize()), kind)
        self.route.addItem(tr("All routes"), "")
        for route in ROUTES.values():
            self.route.addItem(tr(route.label), route.id)
        for key, label in _GAUGES.items():
            self.gauges.addItem(tr(label), key)
        self.month.addItem(tr("All months"), "")
        self.search.textChanged.connect(self.refresh)
        for box in (self.month, self.kind, self.route, self.gauges):
            box.activated.connect(self.refresh)
        self.demo.clicked.connect(self._demo_switched)
        self.csv.clicked.connect(self._save_csv)
        self.backup.clicked.connect(self._back_up)
        menu = QMenu(self.more)
        menu.addAction(tr("Take in a second machine’s logbook …"), self._take_in)
        menu.addAction(tr("See whether the logbook is whole"), self._check)
        self.more.setMenu(menu)
        self.table.opened.connect(self.job_wanted)
        self.first.chosen.connect(lambda key: (self.stages.setVisible(key == "stage"),
                                               self.months.setVisible(key == "time")))
        self.last.chosen.connect(lambda key: (self.earned.setVisible(key == "earned"),
                                              self.plan.setVisible(key == "plan")))

    # what is shown

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.load()

    def load(self) -> None:
        """Read the logbook anew, beside the window."""
        self._background.run("logbook", lambda task: self.records.entries(), self._take, failed=self.message.emit,
                             newest=True)

    def _take(self, entries: list[LogEntry]) -> None:
        self._own = entries
        self.refresh()

    def _demo_switched(self, on: bool) -> None:
        if on and not self._demo:
            self._background.run("demo", lambda task: demo_entries(), self._take_demo, failed=self.message.emit)
        else:
            self.refresh()

    def _take_demo(self, entries: list[LogEntry]) -> None:
        self._demo = entries
        self.refresh()

    @property
    def entries(self) -> list[LogEntry]:
        """All there are, before filters: with the demo jobs, where they are wanted."""
        return [*self._own, *self._demo] if self.demo.isChecked() else [e for e in self._own if not e.demo]

    def shown(self) -> list[LogEntry]:
        """Those that match the filters."""
        return [entry for entry in self.entries if matches(
            entry, words=self.search.text(), kind=self.kind.currentData(), route=self.route.currentData(),
            month=self.month.currentData(), gauges=self.gauges.currentData())]

    def refresh(self, *_) -> None:
        self._show_months()
        shown = self.shown()
        self.table.show_entries(shown, len(self.entries))
        self.stages.show_rows(minutes_by_stage(shown))
        self.months.show_months(minutes_over_time(shown))
        self.speed.show_kinds(seconds_per_find(shown))
        self.plan.show_jobs(against_plan(shown))
        self.earned.show_jobs(earned(shown))
        self._say_speeds()
        if not self.entries:
            self.messages.show_hint("No job is in the logbook yet: time is logged as soon as you work on one. The "
                                    "switch shows what it looks like with made-up jobs.")
        else:
            self.messages.show_hint(phrase("%1 logged. %2", clock_text(sum(e.real_s for e in self.entries)), _HINT))

    def _say_speeds(self) -> None:
        """Which values are the person's own, and which are still shipped."""
        own, shipped = own_speeds(self._own), shipped_speeds()
        if not own.jobs:
            self.speeds_said.setText(tr("Your next plan goes by shipped values, until 3 jobs are delivered."))
            return
        missing = [kind_of(kind).label.lower() for kind in shipped.finds if kind not in own.own]
        said = phrase("These feed your next plan (%1 jobs). Still shipped: %2.", own.jobs, ", ".join(missing))
        self.speeds_said.setText(tr(said))

    def _show_months(self) -> None:
        months = sorted({entry.day[:7] for entry in self.entries if entry.day}, reverse=True)
        if [self.month.itemData(n) for n in range(1, self.month.count())] == months:
            return
        held = self.month.currentData()
        self.month.clear()
        self.month.addItem(tr("All months"), "")
        for month in months:
            self.month.addItem(f"{tr(_MONTHS[int(month[5:7]) - 1])} {month[:4]}", month)
        self.month.setCurrentIndex(max(0, self.month.findData(held)))

    # keeping it

    def _save_csv(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the table", str(Path.home() / "logbook.csv"), "CSV (*.csv)")
        if path:
            self.save_csv(path)

    def save_csv(self, path: str | Path) -> None:
        """What is shown, as CSV."""
        text = as_csv(self.shown())

        def write() -> None:
            if is_same_file(path, logbook_path()):
                raise SaveError(phrase("%1 is the logbook itself; choose another name.", path))
            write_atomically(path, lambda file: file.write(text.encode()))

        self._try(write, phrase("Saved: %1", path))

    def _back_up(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Back the logbook up", str(Path.home() / "logbook-backup.sqlite"),
                                              "Logbook (*.sqlite)")
        if path and self.records.book is not None:
            self._try(lambda: self.records.book.back_up(path), phrase("Backed up: %1", path))

    def _take_in(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "The logbook of a second machine", "", "Logbook (*.sqlite)")
        if path and self.records.book is not None:
            self._try(lambda: self.message.emit(self.records.book.take_in(path).sentence), "")
            self.load()

    def _check(self) -> None:
        if self.records.book is None:
            def mend() -> None:
                aside, rows = repair()
                self.message.emit(phrase("%1 rows were saved into a new logbook; the damaged one is kept as %2. "
                                         "Start Lather again to use it.", rows, aside))
            self._try(mend, "")
            return
        self._try(lambda: self.message.emit(
            "The logbook is whole." if not self.records.book.check() else
            "The logbook is damaged: close Lather and run `lather log --repair`; it saves what can be read."), "")

    def _try(self, work, said: str) -> None:
        try:
            work()
        except LatherError as error:
            self.messages.show_message(log.expected(_log, error), stays=True)
            return
        if said:
            self.message.emit(said)

    def press(self, action: str) -> None:
        if action == "lay_down" and self.table.current is not None:
            self.job_wanted.emit(self.table.current)

    def release(self, action: str) -> None:
        """No held keys of its own."""

    def idle(self) -> bool:
        return self._background.idle()

    def close_job(self) -> None:
        self._background.close()
