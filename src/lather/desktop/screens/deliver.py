"""Deliver: the outputs of the job sheet, each written, read back and compared; sheet, report and proof sheet beside."""

import logging
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lather.core import log
from lather.core.deliver.names import file_name, numbered
from lather.core.deliver.presets import keep_preset, presets, presets_file
from lather.core.deliver.proof_sheet import outbox, write_proof_sheet
from lather.core.deliver.run import DONE, FAILED, READING, RENDERING, Delivery
from lather.core.errors import LatherError
from lather.core.imageio.files import is_there
from lather.core.job.brief import JobSheet
from lather.core.job.commands import SetBrief
from lather.core.job.outputs import USUAL, OutputSpec, new_output_id
from lather.core.phrases import joined, phrase
from lather.desktop.controls.beside.judging import Judging
from lather.desktop.controls.beside.planning import Planning
from lather.desktop.controls.beside.timekeeping import Timekeeping
from lather.desktop.delivery import state_mark
from lather.desktop.delivery.asking import Asking, cannot_be_made
from lather.desktop.delivery.names_form import NamesForm, pattern_of
from lather.desktop.delivery.output_form import OutputForm
from lather.desktop.delivery.output_row import COLUMNS, OutputRow, small
from lather.desktop.delivery.page_card import PageCard
from lather.desktop.delivery.proof_panel import ProofPanel
from lather.desktop.delivery.runner import Order, Runner
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.logbook.records import Records
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import filled, scrolled
from lather.desktop.window.message_line import MessageLine

_log = logging.getLogger(__name__)
_PROOF_PX, _PROOF_SHARE = 430, 0.33
_CAUTIONS = {
    "identity-true": "A photo for an identity document must not be retouched.",
    "newborn/child": "A child’s picture needs the guardians’ consent before it is shown to anybody else.",
}
_USUAL_CAUTION = "In some places advertising with altered bodies has to be labelled: check the local rules."


class DeliverScreen(QWidget):
    """`message(text)`. records, planning, time: what goes into the report and the logbook. asking: what is asked before
    a picture goes out; judging: which gauges are over, which is told there.
    """

    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, records: Records, planning: Planning, time: Timekeeping, judging: Judging,
                 parent=None):
        super().__init__(parent)
        self.job, self.records, self.planning, self.time, self.judging = job, records, planning, time, judging
        self.asking = Asking(job, judging, self)
        self.runner = Runner(job, records, self)
        self.proof = ProofPanel(job)
        self.rows: list[OutputRow] = []
        self._paths: dict[str, Path] = {}
        self._replace: dict[Path, bool] = {}
        self._in_hand = ""
        self._delivered: tuple = ()
        self._count = (0, 0)
        self._answered = False
        self.outputs_said = QLabel()
        self.preset = QComboBox()
        self.preset.setAccessibleName("Set of outputs")
        self.add = QPushButton(tr("Add output"))
        self.names = NamesForm(job)
        self.pattern, self.folder = self.names.pattern, self.names.folder
        self.sheet = PageCard("Before and after sheet", "PDF, A4, with captions")
        self.report = PageCard("Report for the client", "HTML and PDF: what was done, gauges, time")
        self.proof_sheet = PageCard("Proof sheet", "HTML: compare, decide, remark", on=None, button="Write it")
        self.state, self.progress = ElidedLabel(), QProgressBar()
        self.deliver, self.cancel = QPushButton(tr("Deliver")), QPushButton(tr("Stop"))
        self.deliver.setObjectName("primary")
        self.messages = MessageLine()
        self._arrange()
        self._connect()
        self.show_job(job.job)

    # layout

    def _arrange(self) -> None:
        self.setProperty(TAKES_COMMANDS, True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        whole, row = filled(self)
        whole.addWidget(self.messages)
        self.proof.setFixedWidth(_PROOF_PX)
        row.addWidget(self.proof)
        side = QWidget()
        side.setObjectName("panel")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row.addWidget(side, 1)
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 10, 16, 8)
        column.setSpacing(7)
        column.addLayout(self._head())
        column.addWidget(self._list(), 1)
        column.addWidget(self.names)
        cards = QHBoxLayout()
        cards.setSpacing(10)
        for card in (self.sheet, self.report, self.proof_sheet):
            cards.addWidget(card, 1)
        column.addLayout(cards)
        foot = QHBoxLayout()
        foot.setSpacing(12)
        foot.addWidget(self.state, 1)
        self.progress.setRange(0, 1000)
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(150)
        foot.addWidget(self.progress)
        foot.addWidget(self.cancel)
        foot.addWidget(self.deliver)
        column.addLayout(foot)
        self.progress.hide()
        self.cancel.hide()

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        title = QLabel(tr("Outputs"))
        title.setFont(font(11, strong=True))
        head.addWidget(title)
        self.outputs_said.setObjectName("quiet")
        head.addWidget(self.outputs_said)
        head.addStretch(1)
        head.addWidget(self.preset)
        head.addWidget(self.add)
        return head

    def _list(self) -> QWidget:
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        heads = QGridLayout()
        heads.setContentsMargins(8, 0, 18, 0)
        heads.setHorizontalSpacing(8)
        for number, (text, width) in enumerate(COLUMNS):
            heads.addWidget(small(text), 0, number)
            heads.setColumnMinimumWidth(number, width)
            heads.setColumnStretch(number, width if number else 0)
        column.addLayout(heads)
        inner = QWidget()
        self._rows_column = QVBoxLayout(inner)
        self._rows_column.setContentsMargins(0, 0, 10, 0)
        self._rows_column.setSpacing(0)
        self._rows_column.addStretch(1)
        column.addWidget(scrolled(inner, "Outputs", by_keys=True), 1)
        return holder

    def _connect(self) -> None:
        self.preset.activated.connect(self._take_preset)
        self.add.clicked.connect(self._add_output)
        self.names.changed.connect(self._refresh)
        self.names.pattern_kept.connect(self._keep_pattern)
        self.deliver.clicked.connect(self.start)
        self.cancel.clicked.connect(self.runner.stop)
        self.proof_sheet.wanted.connect(self._write_proof_sheet)
        self.proof.message.connect(self.message)
        self.runner.told.connect(self._told)
        self.runner.page_told.connect(self._page_told)
        self.runner.ended.connect(self._ended)
        self.runner.gauged.connect(self.asking.tell_measured)
        self.asking.told.connect(self._tell_also)
        self.job.changed.connect(self.show_job)
        for card in (self.sheet, self.report):
            card.switched.connect(lambda _: self._refresh())

    # the list

    @property
    def specs(self) -> tuple[OutputSpec, ...]:
        """Those of the sheet; a usual one where it lists none."""
        held = JobSheet.of(self.job.job.brief).outputs
        if held:
            return held
        return (replace(USUAL[0], profile="grey"),) if self.job.session.photo.picture.grey else USUAL

    def show_job(self, job) -> None:
        if not self.isVisible() and self.rows:
            return
        sheet = JobSheet.of(job.brief)
        self.messages.show_hint(phrase("%1 Esc goes back to the desk.", _CAUTIONS.get(sheet.kind, _USUAL_CAUTION)))
        specs = self.specs
        if [row.spec.id for row in self.rows] != [spec.id for spec in specs]:
            for row in self.rows:
                row.hide()
                row.deleteLater()
            self.rows = []
            for number, spec in enumerate(specs):
                self._add_row(number, spec)
        for row, spec in zip(self.rows, specs):
            if row.is_done and (row.spec != spec or self._delivered is not job.stages):
                row.show_state(state_mark.NONE)  # it is another output, or another picture now
            row.spec = spec
        if self._in_hand not in {spec.id for spec in specs}:
            self._in_hand = specs[0].id
        self._show_presets()
        self._refresh()

    def _add_row(self, number: int, spec: OutputSpec) -> None:
        row = OutputRow(spec)
        row.taken.connect(lambda: self._take(row.spec.id))
        row.switched.connect(lambda on: self._put(replace(row.spec, on=on)))
        row.edited.connect(lambda: self.open_form(row))
        row.replaced.connect(lambda: self._answer(row, numbered_=False))
        row.numbered.connect(lambda: self._answer(row, numbered_=True))
        self.rows.append(row)
        self._rows_column.insertWidget(number, row)

    def row(self, name: str) -> OutputRow:
        return next(row for row in self.rows if row.spec.name == name)

    def _take(self, output_id: str) -> None:
        self._in_hand = output_id
        self._refresh()

    def _put(self, spec: OutputSpec) -> None:
        self._set([spec if one.id == spec.id else one for one in self.specs])

    def _set(self, specs) -> None:
        self.job.do(SetBrief("outputs", [one.to_json() for one in specs]))

    def open_form(self, row: OutputRow) -> OutputForm:
        self._take(row.spec.id)
        form = OutputForm(row.spec, self)
        form.changed.connect(self._put)
        form.removed.connect(lambda: self._set([one for one in self.specs if one.id != form.spec.id]))
        form.pop_up(row.edit)
        return form

    def _add_output(self) -> None:
        spec = OutputSpec(new_output_id(self.specs), "Web", size="px")
        self._set([*self.specs, spec])
        self.open_form(self.rows[-1])

    def _show_presets(self) -> None:
        names = [tr("Set of outputs"), *presets(presets_file()), tr("Keep these as …")]
        if [self.preset.itemText(n) for n in range(self.preset.count())] != names:
            self.preset.clear()
            self.preset.addItems(names)
        known = presets(presets_file())
        held = next((name for name, specs in known.items() if specs == self.specs), None)
        self.preset.setCurrentIndex(names.index(held) if held else 0)

    def _take_preset(self, index: int) -> None:
        name = self.preset.itemText(index)
        known = presets(presets_file())
        if name in known:
            self._set(known[name])
        elif index == self.preset.count() - 1:
            said, good = QInputDialog.getText(self, "Keep these outputs", "Name of the set")
            if good and said.strip():
                self.keep_as(said)
            self._show_presets()

    def keep_as(self, name: str) -> None:
        """Keep the outputs as a set of that name."""
        try:
            keep_preset(presets_file(), name, self.specs)
            self.message.emit(phrase("Kept as “%1”.", name.strip()))
        except LatherError as error:
            self.message.emit(log.expected(_log, error))
        self._show_presets()

    def _keep_pattern(self, pattern: str) -> None:
        if pattern != pattern_of(self.job.job):
            self.job.do(SetBrief("pattern", pattern))

    def _refresh(self, *_) -> None:
        """Names, sizes and states as they are now."""
        photo, why = self.job.session.photo, ""
        folder, taken = self.names.path, set()
        on = [row for row in self.rows if row.spec.on]
        for row in self.rows:
            try:
                path = folder / file_name(self.pattern.text(), self.job.job, row.spec)
                path = numbered(path, taken) if path in taken else path
            except LatherError as error:
                why, path = error.message, folder / "–"
            if not row.is_done and row.state != state_mark.RUNNING:
                held = self._paths.get(row.spec.id)
                path = held if held is not None and held.parent == folder and self._is_numbered(held, path) else path
            elif row.is_done:
                path = self._paths.get(row.spec.id, path)
            taken.add(path)
            self._paths[row.spec.id] = path
            row.show_spec(row.spec, photo.width, photo.height, path)
            row.show_taken(row.spec.id == self._in_hand)
            if not row.spec.on and row.state in (state_mark.NONE, state_mark.ASKS):
                row.show_state(state_mark.NONE, "off")
            elif row.spec.on and row.state in (state_mark.NONE, state_mark.ASKS):
                asks = is_there(path) and not self._replace.get(path)
                row.show_state(state_mark.ASKS if asks else state_mark.NONE, "Name is taken" if asks else "to deliver")
        self.outputs_said.setText(tr("%1 of %2 on", len(on), len(self.rows)))
        self.deliver.setEnabled(not self.runner.running and not why and bool(on))
        if why:
            self.state.setText(tr(why))
        elif not self.runner.running:
            asks = sum(row.state == state_mark.ASKS for row in on)
            self.state.setText(tr(phrase("%n need an answer: its name is taken", n=asks,
                                         one="%n needs an answer: its name is taken") if asks == 1 else
                                  phrase("%1 need an answer: their names are taken", asks) if asks else ""))
        spec = next((row.spec for row in self.rows if row.spec.id == self._in_hand), None)
        if spec is not None and self.isVisible():
            self.proof.take(spec)

    @staticmethod
    def _is_numbered(held: Path, path: Path) -> bool:
        """True if a name is the other one with a number."""
        rest = held.stem.removeprefix(path.stem)
        return held.suffix == path.suffix and rest.startswith("-") and rest[1:].isdigit()

    # delivering

    def _answer(self, row: OutputRow, *, numbered_: bool) -> None:
        path = self._paths[row.spec.id]
        if numbered_:
            self._paths[row.spec.id] = numbered(path, set(self._paths.values()) - {path})
        else:
            self._replace[path] = True
        row.show_state(state_mark.NONE)
        self._refresh()
        if self.runner.running:
            self._answered = True
        elif any(other.is_done for other in self.rows):
            self.start()  # the others are done: it was the last to be asked

    def start(self) -> None:
        """Deliver what is on and not done, in the background; names that are taken wait for an answer."""
        self._refresh()
        folder = self.names.path
        if not self.asking.may_deliver():
            return
        why = cannot_be_made(folder)
        if why:
            self.state.setText(tr(why))
            return
        wanted = tuple((row.spec, self._paths[row.spec.id]) for row in self.rows
                       if row.spec.on and row.state != state_mark.ASKS and not row.is_done)
        stem = Path(file_name(self.pattern.text(), self.job.job, replace(USUAL[0], name=""))).stem.removesuffix("-full")
        sheet, report = folder / f"{stem}-sheet.pdf", folder / f"{stem}-report.pdf"
        self.time.write()
        order = Order(
            wanted, self.names.metadata, dict(self._replace), sheet if self.sheet.switch.isChecked() else None,
            report if self.report.switch.isChecked() else None, dict(self.time.seconds), self.planning.plan,
            self.planning.measured.measures)
        if not wanted and order.sheet is None and order.report is None:
            self.message.emit("There is nothing left to deliver: all outputs are off, done, or need an answer.")
            return
        self._count = (0, len(wanted))
        for card in (self.sheet, self.report):
            card.show_state(state_mark.NONE)
        if self.runner.start(order):
            self._delivered = self.job.job.stages
            self.progress.setValue(0)
            self.progress.show()
            self.cancel.show()
            self._refresh()
            self.state.setText(tr("Delivering …"))

    def _told(self, one: Delivery) -> None:
        row = next((row for row in self.rows if row.spec.id == one.spec.id), None)
        if row is None:
            return
        if one.state == DONE:
            self._count = (self._count[0] + 1, self._count[1])
            at = datetime.now().strftime("%H:%M")
            size = f"{one.note.bytes / 1e6:.1f}"
            row.show_state(state_mark.DONE, "Read back, equal", phrase("%1 MB · %2", size, at))
        elif one.state == FAILED:
            row.show_state(state_mark.FAILED, "Not delivered", one.why)
            row.words.set_tip(one.why)
            self.messages.show_message(one.why, stays=True)
        else:
            share = {RENDERING: 0.7 * one.share, READING: 0.95}.get(one.state, 0.7 + 0.2 * one.share)
            word = one.state.capitalize()
            row.show_state(state_mark.RUNNING, f"{word} {100 * share:.0f} %", share=share)
            done, count = self._count
            self.progress.setValue(round(1000 * (done + share) / max(1, count)))
        done, count = self._count
        self.state.setText(tr("%1 of %2 delivered", done, count))

    def _page_told(self, which: str, path: Path | None, why: str) -> None:
        card = {"sheet": self.sheet, "report": self.report}.get(which)
        if card is None:
            self.messages.show_message(why, stays=True)
        elif path is not None:
            card.show_state(state_mark.DONE, phrase("Written: %1", path.name))
        else:
            card.show_state(state_mark.FAILED, why)

    def _ended(self, stopped: bool) -> None:
        self.progress.hide()
        self.cancel.hide()
        for row in self.rows:
            if row.state == state_mark.RUNNING:
                row.show_state(state_mark.NONE)
        if self._answered and not stopped:  # while the others were on their way
            self._answered = False
            self.start()
            return
        self._replace.clear()
        done, count = self._count
        self._refresh()
        asks = sum(row.state == state_mark.ASKS for row in self.rows if row.spec.on)
        more = phrase(", %n need an answer", n=asks, one=", %n needs an answer") if asks else ""
        self.state.setText(tr(phrase("Stopped: %1 of %2 delivered%3.", done, count, more) if stopped else
                              phrase("%1 of %2 delivered%3: %4", done, count, more, self.folder.text())))

    def _tell_also(self, text: str) -> None:
        """Beside what is said already, and stays: that an output failed."""
        before = self.messages.message if self.messages.stays else ""
        self.messages.show_message(joined([before, text]), stays=True)

    def _write_proof_sheet(self) -> None:
        session, job = self.job.session, self.job.job

        def done(path: Path) -> None:
            self.proof_sheet.show_state(state_mark.DONE, phrase("%1 in %2", path.name, outbox().name))
            self.message.emit(phrase("The proof sheet is in the outbox: %1. Drop the client’s answer on this window.",
                                     path))

        self.runner.background.run("proof sheet", lambda task: write_proof_sheet(session, job=job), done,
                                   failed=lambda why: self.proof_sheet.show_state(state_mark.FAILED, why), newest=True)

    # events

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self.proof.setFixedWidth(max(_PROOF_PX, round(_PROOF_SHARE * self.width())))

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.show_job(self.job.job)

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape:  # from a text field
            self.setFocus()
        else:
            super().keyPressEvent(event)

    def press(self, action: str) -> None:
        """No keys of its own."""

    def release(self, action: str) -> None:
        """No keys of its own."""

    def idle(self) -> bool:
        return self.runner.background.idle() and self.proof.idle()

    def close_job(self) -> None:
        self.runner.close()
        self.proof.close()
