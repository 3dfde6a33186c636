"""The table of the logbook: a row for each job, and one that is the sum of what stands above it."""

from collections.abc import Sequence

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QLabel, QTableView, QVBoxLayout, QWidget

from lather.core.job.brief import clock_text, money
from lather.core.kinds.registry import kind_of
from lather.core.phrases import Typed, phrase
from lather.core.record.entries import LogEntry, Sums, sums
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

HEADS = ("Date", "Job", "Kind", "Planned", "Real", "Against plan", "Finds", "Gauges at delivery", "Files", "Price",
         "An hour")
_WIDTHS = (84, 0, 116, 72, 72, 92, 56, 210, 48, 96, 76)
_RIGHT = {3, 4, 5, 6, 8, 9, 10}
_OVER_S = 0.1  # of the plan, from which more time is told in amber
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def _signed(seconds: int) -> str:
    return f"+{clock_text(seconds)}" if seconds > 0 else clock_text(seconds)


def day_text(day: str) -> str:
    """`27 Nov 26` of an ISO date."""
    try:
        return f"{int(day[8:10])} {_MONTHS[int(day[5:7]) - 1]} {day[2:4]}"
    except (ValueError, IndexError):
        return "–"


def gauge_text(entry: LogEntry) -> str:
    """`all inside`, or the first that is not, with its value and a word."""
    if not entry.gauges:
        return "not measured"
    worst = sorted(entry.gauges, key=lambda note: ("over", "near", "inside").index(note.state))[0]
    if worst.state == "inside":
        return "all inside"
    word = "near" if worst.state == "near" else "low" if worst.value < worst.low else "high"
    unit = f" {worst.unit.split(' ')[0]}" if worst.unit else ""
    return f"{worst.label.lower()} {worst.value:.3g}{unit} · {word}"


class LogModel(QAbstractTableModel):
    """Entries as Qt's table wants them; sorted by whatever column is taken."""

    def __init__(self, parent=None):
        super().__init__(parent)
        self.entries: list[LogEntry] = []

    def show_entries(self, entries: Sequence[LogEntry]) -> None:
        self.beginResetModel()
        self.entries = list(entries)
        self.endResetModel()

    def rowCount(self, parent=QModelIndex()) -> int:  # noqa: B008 (as Qt has it)
        return len(self.entries)

    def columnCount(self, parent=QModelIndex()) -> int:  # noqa: B008
        return len(HEADS)

    def headerData(self, section: int, orientation, role=Qt.ItemDataRole.DisplayRole):
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return HEADS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section in _RIGHT else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def data(self, index: QModelIndex, role=Qt.ItemDataRole.DisplayRole):
        entry, column = self.entries[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(entry, column)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column in _RIGHT else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._colour(entry, column)
        if role == Qt.ItemDataRole.FontRole and column in (1, 4, 10):
            return font(strong=True)
        if role == Qt.ItemDataRole.ToolTipRole and column == 6:
            return ", ".join(f"{count} × {kind_of(kind).label.lower()}" for kind, count in entry.mended.items())
        if role == Qt.ItemDataRole.ToolTipRole:
            parts = entry.title, entry.client, "demo, made up" if entry.demo else ""
            return ", ".join(part for part in parts if part)
        return None

    @staticmethod
    def text(entry: LogEntry, column: int) -> str:
        against = entry.against_plan_s
        return (
            day_text(entry.day), Typed(entry.title) or "Untitled", entry.kind.capitalize(),
            clock_text(entry.planned_s) if entry.planned else "–", clock_text(entry.real_s),
            "–" if against is None else _signed(against), str(entry.finds), gauge_text(entry),
            str(len(entry.deliveries)), money(entry.price_cents, entry.currency), money(entry.earned_cents),
        )[column]

    @staticmethod
    def _colour(entry: LogEntry, column: int) -> QColor | None:
        t = theme()
        if column in (0, 3):
            return QColor(t.quiet_ink)
        if column == 5 and entry.planned and entry.against_plan_s > _OVER_S * entry.planned_s:
            return QColor(t.near_text)
        if column == 7:
            return QColor({"over": t.over, "near": t.near_text}.get(entry.gauge_state, t.quiet_ink))
        if column == 10 and (entry.earned_cents or entry.rate_cents or 0) < (entry.rate_cents or 0):
            return QColor(t.near_text)
        return None

    def sort(self, column: int, order=Qt.SortOrder.AscendingOrder) -> None:
        keys = (lambda e: (e.day, e.job_id), lambda e: e.title.casefold(), lambda e: e.kind, lambda e: e.planned_s,
                lambda e: e.real_s, lambda e: e.against_plan_s or 0, lambda e: e.finds, lambda e: e.gauge_state,
                lambda e: len(e.deliveries), lambda e: e.price_cents or 0, lambda e: e.earned_cents or 0)
        self.layoutAboutToBeChanged.emit()
        self.entries.sort(key=keys[column], reverse=order == Qt.SortOrder.DescendingOrder)
        self.layoutChanged.emit()


class LogTable(QWidget):
    """`opened(LogEntry)` by Enter or a double click, `taken(LogEntry or None)`."""

    opened = pyqtSignal(object)
    taken = pyqtSignal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.model = LogModel(self)
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setAccessibleName("Jobs")
        self.view.verticalHeader().hide()
        self.view.verticalHeader().setDefaultSectionSize(27)
        self.view.setShowGrid(False)
        self.view.setSortingEnabled(True)
        self.view.setWordWrap(False)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.horizontalHeader().setSortIndicator(0, Qt.SortOrder.DescendingOrder)
        self.view.horizontalHeader().setHighlightSections(False)
        self.view.activated.connect(lambda index: self.opened.emit(self.model.entries[index.row()]))
        self.view.selectionModel().selectionChanged.connect(lambda *_: self.taken.emit(self.current))
        for column, width in enumerate(_WIDTHS):
            if width:
                self.view.setColumnWidth(column, width)
            else:
                self.view.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.sums = [QLabel() for _ in HEADS]
        self._sums = QWidget()
        self._sums.setFixedHeight(28)
        for label in self.sums:
            label.setParent(self._sums)
            label.setFont(font(strong=True))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.view, 1)
        column.addWidget(self._sums)
        self.view.horizontalHeader().sectionResized.connect(lambda *_: self._later.start())
        self._later = QTimer(self)  # when all columns have their places
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._place_sums)
        self._style()

    def _style(self) -> None:
        t = theme()
        self.view.setStyleSheet(
            f"QTableView {{ background: {t.panel}; border: 0; selection-background-color: {t.accent_tint}; "
            f"selection-color: {t.ink}; }} QTableView::item {{ border-bottom: 1px solid {t.line}; padding: 0 6px; }} "
            f"QTableView::item:selected {{ background: {t.accent_tint}; }} "
            f"QHeaderView::section {{ background: {t.panel}; color: {t.quiet_ink}; border: 0; "
            f"border-bottom: 1px solid {t.line}; padding: 4px 8px; }} QHeaderView {{ background: {t.panel}; }}")

    @property
    def current(self) -> LogEntry | None:
        rows = self.view.selectionModel().selectedRows()
        return self.model.entries[rows[0].row()] if rows else None

    def show_entries(self, entries: Sequence[LogEntry], of: int) -> Sums:
        """of: how many there are without filters."""
        self.model.show_entries(entries)
        header = self.view.horizontalHeader()
        self.model.sort(header.sortIndicatorSection(), header.sortIndicatorOrder())
        total = sums(entries)
        prices = ", ".join(money(cents, currency) for currency, cents in total.price_cents.items()) or "–"
        texts = ("", phrase("%1 of %2 jobs", total.jobs, of), "", clock_text(total.planned_s), clock_text(total.real_s),
                 _signed(total.against_s), str(total.finds), phrase("%1 all inside", total.all_inside),
                 str(total.files), prices, money(total.earned_cents))
        for number, (label, text) in enumerate(zip(self.sums, texts)):
            label.setText(tr(text))
            side = Qt.AlignmentFlag.AlignRight if number in _RIGHT else Qt.AlignmentFlag.AlignLeft
            label.setAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self._later.start()
        return total

    def _place_sums(self) -> None:
        for column, label in enumerate(self.sums):
            left = self.view.columnViewportPosition(column)
            wide = self.view.columnWidth(column) - 18
            more = max(0, label.sizeHint().width() - wide)  # a sum has more figures than what it is of
            x = left + 9 - (more if column in _RIGHT else 0)
            label.setGeometry(x, 0, wide + more, self._sums.height())

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._later.start()
