"""The finds of the stage: crops to step through, what each is, what was decided; looking and mending in one go."""

from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lather.core.find.no_flaw import reason
from lather.core.job.finds import Find, contrast_text, size_text
from lather.core.kinds.registry import KINDS, stage_of_kind
from lather.core.measure.keepers import find_box
from lather.core.mending.edit_for_find import can_mend
from lather.core.phrases import joined, phrase
from lather.desktop.controls.finds.finds import MOST_SEEN, FindsControl
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.crops import CropDelegate, CropList, Crops
from lather.desktop.widgets.value_slider import ValueSlider

STATE_WORDS = {"open": "", "mended": "mended", "keep": "stays", "skip": "skipped"}
_WORDS = {"strands": "Clear", "even": "Even"}


class _Finds(QAbstractListModel):
    def __init__(self, parent=None):
        super().__init__(parent)
        self.finds: list[Find] = []
        self.states: dict[str, str] = {}

    def rowCount(self, parent=None) -> int:
        return len(self.finds)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole):
        find = self.finds[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return find
        if role == Qt.ItemDataRole.UserRole + 1:
            return self.states.get(find.id, "open")
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return phrase("%1, %2 px, %3, %4", find.label, f"{find.size_px:.0f}", find.zone,
                          self.states.get(find.id, "open"))
        if role == Qt.ItemDataRole.ToolTipRole:
            return " · ".join(line for line in _row(index)[2] if line)
        return None

    def show(self, finds: list[Find], states: dict[str, str]) -> None:
        if finds != self.finds:
            self.beginResetModel()
            self.finds, self.states = finds, states
            self.endResetModel()
        elif states != self.states:
            self.states = states
            self.dataChanged.emit(self.index(0), self.index(max(0, len(finds) - 1)))


def _row(index: QModelIndex) -> tuple:
    """Kind, size and contrast, zone and what was decided."""
    find, state = index.data(Qt.ItemDataRole.UserRole), index.data(Qt.ItemDataRole.UserRole + 1)
    mended = state == "mended" and stage_of_kind(find.kind) == "even"
    word = "evened" if mended else STATE_WORDS[state] or ("by hand" if not can_mend(find) else "")
    if find.left_alone:
        return find.id, find_box(find), (tr(find.label), tr(size_text(find)),
                                         tr(phrase("left alone: %1", reason(find)))), False
    if not word and not (find.sure or stage_of_kind(find.kind) == "even"):
        word = "look"
    measured, where = joined([size_text(find), contrast_text(find)], " · "), joined([find.zone, word], " · ")
    lines = (tr(find.label), tr(measured), tr(where))
    return find.id, find_box(find), lines, state != "open"


class FindsPanel(QWidget):
    """Shows a FindsControl and asks it to do things."""

    picked = pyqtSignal(object)

    def __init__(self, control: FindsControl, crops: Crops, parent=None):
        super().__init__(parent)
        self.control = control
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 6, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        self.title = QLabel(tr("Finds in Mend"))
        self.title.setFont(font(strong=True))
        self.done = QLabel()
        self.done.setObjectName("quiet")
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.done)
        column.addLayout(head)
        self.worth = Choices("Finds", {"worth": "Shows", "rest": "Faint", "alone": "Left"}, "worth")
        self.worth.setToolTip(tr("At the delivered size: what will be seen, and what will not; what looks like a "
                                 "flaw and is left alone, each with the reason"))
        self.worth.chosen.connect(lambda key: control.set_filter(show=key))
        column.addWidget(self.worth)
        filters = QHBoxLayout()
        filters.setSpacing(4)
        self.kind, self.zone = QComboBox(), QComboBox()
        for box, name in ((self.kind, "Kind of find"), (self.zone, "Part of the face")):
            box.setAccessibleName(name)
            box.setToolTip(tr(name))
            box.setMinimumWidth(60)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            filters.addWidget(box, 1)
        self.kind.activated.connect(lambda _: control.set_filter(kind=self.kind.currentData()))
        self.zone.activated.connect(lambda _: control.set_filter(zone=self.zone.currentData()))
        column.addLayout(filters)
        self.empty = QLabel()
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.empty, 1)
        self._model = _Finds(self)
        self.list = CropList("Finds", self._model, CropDelegate(crops, _row, self))
        self.list.selectionModel().selectionChanged.connect(self._selected)
        column.addWidget(self.list, 1)
        column.addLayout(self._decisions())
        self.share = ValueSlider("Share of what is needed", 5, 100, 80)
        self.share.setToolTip(tr("Perfectly even skin is nobody’s: a fifth is left, to begin with"))
        self.share.changed.connect(lambda value, _: self._set_share(value / 100))
        column.addWidget(self.share)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.stop = QPushButton(tr("Stop"))  # of its own: a button that is pressed twice is not to mean another thing
        self.stop.setObjectName("small")
        self.stop.clicked.connect(self._stop)
        running = QHBoxLayout()
        running.setSpacing(6)
        running.addWidget(self.progress, 1)
        running.addWidget(self.stop)
        column.addLayout(running)
        self.all = QPushButton()
        self.all.clicked.connect(self._all_clicked)
        column.addWidget(self.all)
        control.changed.connect(self.refresh)
        self.refresh()

    def _decisions(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.buttons = {}
        for key, label, letter, tip, action in (
            ("mend", "Mend", "E", "Mend this find; the next one follows", self.control.mending.mend),
            ("keep", "Keep", "R", "It stays, and strokes that would cross it are warned of",
             lambda: self.control.decide("keep")),
            ("skip", "Skip", "T", "Leave it for now", lambda: self.control.decide("skip")),
        ):
            button = QPushButton(f"{tr(label)}  {letter}")
            button.setObjectName("primary" if key == "mend" else "small")
            button.setStyleSheet("padding: 5px 4px;")
            button.setToolTip(f"{tr(tip)} ({letter})")
            button.setAccessibleName(tip)
            button.clicked.connect(action)
            self.buttons[key] = button
            row.addWidget(button, 1)
        return row

    def _set_share(self, share: float) -> None:
        self.control.even_share = share

    def _stop(self) -> None:
        self.control.looking.stop()
        self.control.mending.stop()

    def _all_clicked(self) -> None:
        if self.job.finds is None:
            self.control.looking.start()
        else:
            self.control.mending.mend_shown()

    @property
    def job(self):
        return self.control.job.job

    def refresh(self) -> None:
        control, job = self.control, self.job
        states, shown = control.states(), control.shown()
        self._model.show(shown, states)
        self._fill_filters(control)
        info = control.job.info
        self.title.setText(tr("Finds in %1", info.label))
        self._word = _WORDS.get(info.id, "Mend")
        self.share.setVisible(info.id == "even")
        self.share.set_value(100 * control.even_share)
        self.buttons["mend"].setText(f"{tr(self._word)}  E")
        finds = control.listed
        will = [f for f in finds if f.worth]
        self.worth.button("worth").setText(tr("Shows %1", len(will)))
        self.worth.button("rest").setText(tr("Faint %1", len(finds) - len(will)))
        self.worth.button("alone").setText(tr("Left %1", len(control.left_alone)))
        # what is kept because it was agreed on was nobody's work
        own = [f for f in will if states.get(f.id) != "keep" or f.id in job.decisions]
        done = sum(states.get(f.id, "open") != "open" for f in own)
        self.done.setText(tr(phrase("%1 of %2 done", done, len(own)) if own else ""))
        self.list.setVisible(bool(shown))
        self.empty.setVisible(not shown)
        self.empty.setText(tr(self._empty_text(control, job)))
        still_open = sum(states[f.id] == "open" and can_mend(f) and control.takes_by_itself(f) for f in shown)
        self._show_actions(control, job, still_open)
        for button in self.buttons.values():
            button.setEnabled(control.current is not None and bool(shown) and control.show != "alone")
        self.buttons["mend"].setEnabled(bool(shown))
        row = next((i for i, f in enumerate(shown) if control.current is not None and f.id == control.current.id), -1)
        selection = self.list.selectionModel()
        selection.blockSignals(True)
        if row >= 0:
            self.list.setCurrentIndex(self._model.index(row, 0))
            self.list.show_row(row)
        else:
            self.list.clearSelection()
        selection.blockSignals(False)
        self.list.viewport().update()

    def _show_actions(self, control: FindsControl, job, still_open: int) -> None:
        for widget in (self.progress, self.stop):
            widget.setVisible(bool(control.busy))
        self.progress.setValue(round(100 * control.share))
        if control.busy == "finding":
            self.all.setText(tr("Looking …"))
        elif control.busy:
            self.all.setText(tr("Working …"))
        elif job.finds is None:
            self.all.setText(tr("Look for flaws"))
        else:
            finds = "1 find" if still_open == 1 else phrase("%1 finds", still_open)
            sure = phrase("%1 all %2 that are sure", self._word, still_open) if still_open > 1 else (
                phrase("%1 the 1 that is sure", self._word) if still_open else "None left that is sure")
            self.all.setText(tr(phrase("Even all skin, %1", finds) if control.evens_all_skin else sure))
        self.all.setEnabled(not control.busy and (job.finds is None or still_open > 0))
        self.all.setVisible(control.job.info.finds or bool(control.busy))

    def _fill_filters(self, control: FindsControl) -> None:
        kinds = [kind for kind in KINDS if any(f.kind == kind for f in control.finds)]
        zones = sorted({f.zone.partition(",")[0] for f in control.finds})
        places = [("Most seen first", MOST_SEEN)] * bool(zones) + [(z.capitalize(), z) for z in zones]
        for box, first, items, value in ((self.kind, "All kinds", [(KINDS[k].label, k) for k in kinds], control.kind),
                                         (self.zone, "All places", places, control.zone)):
            wanted = [(first, ""), *items]
            if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != wanted:
                box.clear()
                for text, data in wanted:
                    box.addItem(tr(text), data)
            box.setCurrentIndex(max(0, box.findData(value)))
            box.setEnabled(bool(items))

    @staticmethod
    def _empty_text(control: FindsControl, job) -> str:
        if control.busy == "finding":
            return phrase("Looking at %1 …\n\nThis takes a few seconds; you can paint meanwhile.",
                          control.looking.doing)
        if control.busy:
            return "Working …"
        if not control.job.info.finds:
            return "This stage has no finds of its own: it works on all skin, or where you paint."
        if job.finds is None:
            return "Lather can look for spots, lines and specks and propose how each is mended.\n\nYou decide on each."
        if control.finds and (control.kind or control.zone not in ("", MOST_SEEN)):
            return "Nothing of this kind here. Choose “All kinds” and “All places” to see the rest."
        if control.show == "alone":
            return "Nothing that looks like a flaw was left alone by a rule."
        if control.show == "rest":
            return "Everything that was found will show at the delivered size."
        if control.job.stage_id == "even":
            return "No blotch was found that will show. What you see all the same, brush with Lift or Lower."
        if control.job.stage_id == "strands":
            return "No stray hairs were found. Raise the sensitivity, or paint along a hair with Strand."
        if control.job.stage_id == "colour":
            return "No redness or shine was found that will show. What you see all the same, paint with Calm or Shine."
        return "Nothing was found that will show. What you see all the same, mend with Dab."

    def _selected(self, *_) -> None:
        rows = self.list.selectionModel().selectedIndexes()
        find = rows[0].data(Qt.ItemDataRole.UserRole) if rows else None
        if find is not self.control.current:
            self.control.choose(find)
        self.picked.emit(find)
