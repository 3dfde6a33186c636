"""Notes pinned on the photo: one's own and the client's, each with a tick when it is done."""

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lather.core.job.brief import JobSheet, Remark
from lather.core.job.model import Job
from lather.core.phrases import phrase
from lather.desktop.texts import tr
from lather.desktop.widgets.frames import scrolled
from lather.desktop.widgets.switch import Switch


class NotesPanel(QWidget):
    """`changed(list of remarks as they are kept)`; `pinning(on)`: the next click on the photo is a place."""

    changed = pyqtSignal(list)
    pinning = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._remarks: tuple[Remark, ...] = ()
        self._place: tuple[float, float] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.pin = QPushButton(tr("Pin a note"))
        self.pin.setCheckable(True)
        self.pin.setObjectName("toggle")
        self.pin.setToolTip(tr("Click a place on the photo, then write"))
        self.pin.clicked.connect(self.pinning)
        self.text = QLineEdit()
        self.text.setPlaceholderText(tr("a note on the whole picture"))
        self.text.setAccessibleName("Note")
        self.text.returnPressed.connect(self._add)
        column.addWidget(self.pin)
        column.addWidget(self.text)
        rows = QWidget()
        self._column = QVBoxLayout(rows)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(6)
        column.addWidget(scrolled(rows, "Notes", by_keys=True), 1)
        self.switches: list[Switch] = []

    def take_place(self, x: float, y: float) -> None:
        """The place was clicked: the words come next."""
        self._place = (x, y)
        self.pin.setChecked(False)
        self.text.setPlaceholderText(tr("what about this place?"))
        self.text.setFocus()

    def _add(self) -> None:
        text = self.text.text().strip()
        if text:
            x, y = self._place or (None, None)
            self._emit([*self._remarks, Remark(text[:2000], x, y)])
        self._place = None
        self.text.clear()
        self.text.setPlaceholderText(tr("a note on the whole picture"))

    def _emit(self, remarks) -> None:
        self.changed.emit([one.to_json() for one in remarks])

    def _done(self, number: int, on: bool) -> None:
        self._emit([replace(one, done=on) if n == number else one for n, one in enumerate(self._remarks)])

    def show_job(self, job: Job) -> None:
        remarks = JobSheet.of(job.brief).remarks
        if remarks == self._remarks and self._column.count():
            return
        self._remarks = remarks
        while self._column.count():
            widget = self._column.takeAt(0).widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.switches = []
        for number, one in enumerate(remarks):
            self._column.addWidget(self._row(number, one))
        self._column.addStretch(1)

    def _row(self, number: int, one: Remark) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        switch = Switch(phrase("Note %1 is done", number + 1), one.done)
        switch.clicked.connect(lambda on: self._done(number, on))
        self.switches.append(switch)
        who = f" – {one.who}" if one.who else ""
        words = QLabel(f"{number + 1} · {one.text}{tr(who)}")
        words.setWordWrap(True)
        if one.done:
            words.setObjectName("quiet")
        row.addWidget(switch)
        row.addWidget(words, 1)
        return holder
