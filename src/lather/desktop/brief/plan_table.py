"""The plan as a table: a row for each stage; do or leave, starting values and minutes can be written over."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QWidget

from lather.core.job.brief import clock_text, money
from lather.core.phrases import phrase
from lather.core.plan.plan import AROUND, Plan, PlanRow
from lather.desktop.texts import tr
from lather.desktop.theme.style import font, restyle
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.fields import show_text, typed
from lather.desktop.widgets.switch import Switch

_ROW_PX, _TIME_PX = 26, 64
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class PlanTable(QWidget):
    """`overridden(stage, name, value)`: do (bool), minutes or start (number); None takes the proposal again."""

    overridden = pyqtSignal(str, str, object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.rows: dict[str, _Row] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(0)
        columns = (("", 32, 0), ("Stage", 64, 0), ("What", 120, 5), ("Start with", 120, 4), ("Finds", 44, 0),
                   ("Time", _TIME_PX, 0), ("Cost", 54, 0))
        for column, (text, width, stretch) in enumerate(columns):
            head = QLabel(tr(text))
            head.setObjectName("quiet")
            head.setFont(font(SMALL_PT))
            if column >= 4:
                head.setAlignment(_RIGHT)
            self._grid.addWidget(head, 0, column)
            self._grid.setRowMinimumHeight(0, 22)
            self._grid.setColumnMinimumWidth(column, width)
            self._grid.setColumnStretch(column, stretch)

    def show_plan(self, plan: Plan) -> None:
        for number, row in enumerate(plan.rows, 1):
            if row.stage_id not in self.rows:
                line = QFrame()
                line.setObjectName("rule")
                self._grid.addWidget(line, 2 * number - 1, 0, 1, -1)
                self.rows[row.stage_id] = _Row(self, self._grid, 2 * number, row)
            self.rows[row.stage_id].show(row, priced=plan.rate_cents is not None)


class _Row:
    """The widgets of one stage."""

    def __init__(self, table: PlanTable, grid: QGridLayout, number: int, row: PlanRow):
        self._table, self.stage_id, self._row = table, row.stage_id, row
        self.switch = Switch(phrase("%1: do it", row.label), row.do)
        self.name, self.what = QLabel(tr(row.label)), ElidedLabel(mode=Qt.TextElideMode.ElideRight)
        self.name.setFont(font(strong=True))
        self.start, self.minutes = QLineEdit(), QLineEdit()
        self.finds, self.cost = QLabel(), QLabel()
        self.start.setAccessibleName(phrase("%1: start with", row.label))
        self.minutes.setAccessibleName(phrase("%1: time", row.label))
        self.minutes.setAlignment(_RIGHT)
        self.minutes.setFixedWidth(_TIME_PX)
        for field in (self.start, self.minutes):
            field.setObjectName("cell")
            field.setStyleSheet(_cell_style())
        for label in (self.finds, self.cost):
            label.setAlignment(_RIGHT)
        for column, widget in enumerate((self.switch, self.name, self.what, self.start, self.finds, self.minutes,
                                         self.cost)):
            grid.addWidget(widget, number, column)
        grid.setRowMinimumHeight(number, _ROW_PX)
        self.switch.clicked.connect(lambda on: table.overridden.emit(self.stage_id, "do", self._unless_proposed(on)))
        self.minutes.editingFinished.connect(self._take_minutes)
        self.start.editingFinished.connect(self._take_start)
        if row.stage_id == AROUND:
            self.switch.hide()
            self.minutes.setReadOnly(True)

    def _unless_proposed(self, on: bool) -> bool | None:
        proposed = self._row.proposed or self._row
        return None if on == proposed.do else on

    def show(self, row: PlanRow, *, priced: bool) -> None:
        self._row = row
        quiet = f"color: {theme().quiet_ink};"
        self.switch.setChecked(row.do)
        restyle(self.name, "" if row.do else quiet)
        restyle(self.what, "" if row.do else quiet)
        self.what.setText(tr(row.what))
        mark = " •" if "start" in row.overridden else ""
        show_text(self.start, f"{row.start_with}{mark}" if row.do else "–")
        self.start.setReadOnly(row.start is None or not row.do)
        self.finds.setText(tr(str(row.finds) if row.finds else "–"))
        mark = "• " if "minutes" in row.overridden else ""
        auto = row.do and not row.seconds and not row.overridden
        show_text(self.minutes, "auto" if auto else f"{mark}{clock_text(row.seconds)}" if row.do else "–")
        if row.stage_id != AROUND:
            self.minutes.setReadOnly(not row.do)
        self.cost.setText(tr(money(row.cost_cents) if row.do and priced and row.seconds else "–"))
        proposed = row.proposed
        speed = phrase("own speed") if row.own_speed else phrase("shipped speed")
        if proposed is not None and "minutes" in row.overridden:
            tip = phrase("Written over; proposed: %1. Empty it to take that.", clock_text(proposed.seconds))
        else:
            tip = phrase("At %1. Type minutes, or m:ss, to write over it.", speed)
        self.minutes.setToolTip(tr(tip))
        if proposed is not None and "start" in row.overridden:
            tip = phrase("Written over; proposed: %1. Empty it to take that again.", proposed.start_with)
        else:
            tip = "" if row.start is None else phrase("Type a number (%1) to start with.", row.start[2])
        self.start.setToolTip(tr(tip))
        does = phrase("%1: do it", row.label) if row.do else phrase("%1: leave it", row.label)
        self.switch.setToolTip(tr("Written over; switch it to take the proposal again" if "do" in row.overridden
                                  else does))

    def _take_minutes(self) -> None:
        text = typed(self.minutes).replace("•", "").strip()
        if text == (clock_text(self._row.seconds)) or self.minutes.isReadOnly():
            return
        value = _minutes_of(text)
        if value is not None or not text:
            self._table.overridden.emit(self.stage_id, "minutes", value)
        else:
            self.show(self._row, priced=self.cost.text() != "–")

    def _take_start(self) -> None:
        text = typed(self.start).replace("•", "").strip()
        if text == self._row.start_with or self.start.isReadOnly():
            return
        number = text.split(" ")[0].replace(",", ".")
        try:
            value = float(number) if number else None
        except ValueError:
            return
        self._table.overridden.emit(self.stage_id, "start", value)


def _minutes_of(text: str) -> float | None:
    """`9`, `9.5`, `9:30`; None for anything else."""
    try:
        if ":" in text:
            minutes, seconds = text.split(":")
            return float(minutes) + float(seconds) / 60
        return float(text.replace(",", "."))
    except ValueError:
        return None


def _cell_style() -> str:
    """A field that looks like text until it is used."""
    t = theme()
    return (f"QLineEdit#cell {{ background: transparent; border: 1px solid transparent; padding: 1px 3px; "
            f"min-height: 16px; }} QLineEdit#cell:hover:!read-only {{ border-color: {t.line}; }} "
            f"QLineEdit#cell:focus:!read-only {{ background: {t.raised}; border-color: {t.accent}; }}")
