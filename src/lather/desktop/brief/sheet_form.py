"""The upper part of the job sheet: who it is for, kind of job, route, outputs, agreements, time and money."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from lather.core.deliver.presets import presets, presets_file
from lather.core.job.agreements import AGREEMENTS, agreed
from lather.core.job.brief import JobSheet, cents_of, money
from lather.core.job.limits import job_kinds
from lather.core.job.model import Job
from lather.core.job.outputs import OutputSpec, new_output_id
from lather.core.phrases import phrase
from lather.core.plan.plan import Plan
from lather.core.plan.routes import ROUTES, route_of
from lather.desktop import settings
from lather.desktop.delivery.output_form import OutputForm
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.chip import AnswerChip
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.fields import show_text, typed
from lather.desktop.widgets.flow import FlowLayout

_CHIP_PX = 26
_ALL_SHOW_PX = 2.0  # what is smaller than that is grain, and no flaw

_KIND_LABELS = {"identity-true": "Identity-true", "natural portrait": "Natural", "beauty": "Beauty",
                "fashion": "Fashion", "newborn/child": "Child", "body": "Body"}
_LABEL_PX = 108


def quiet(text: str = "", *, small: bool = True) -> QLabel:
    label = QLabel(tr(text))
    label.setObjectName("quiet")
    if small:
        label.setFont(font(SMALL_PT))
    return label


class SheetForm(QWidget):
    """`changed(key, value)`: a line of the job sheet; `asked_client()`: a proof sheet is wanted."""

    changed = pyqtSignal(str, object)
    asked_client = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self._sheet = JobSheet()
        self._agreed: dict = {}
        self.title, self.client = QLineEdit(), QLineEdit()
        self.title.setAccessibleName("Title of the job")
        self.client.setAccessibleName("Client")
        self.title.setPlaceholderText(tr("title of the job"))
        self.client.setPlaceholderText(tr("client"))
        self.kind = Choices("Kind of job", {kind: _KIND_LABELS.get(kind, kind) for kind in job_kinds()},
                            "natural portrait")
        self.route = Choices("Route", {route.id: route.label for route in ROUTES.values()}, "light")
        self.route_line = ElidedLabel()
        self.route_line.setObjectName("quiet")
        self.route_line.setFont(font(SMALL_PT))
        self.preset = QComboBox()
        self.preset.setAccessibleName("Set of outputs")
        self._outputs = QWidget()
        self._outputs_row = FlowLayout(self._outputs)
        self.output_chips: list[QPushButton] = []
        self.add_output = QPushButton("+")
        self.add_output.setObjectName("toggle")
        self.add_output.setAccessibleName("Add an output")
        self.add_output.setToolTip(tr("Add an output"))
        self.shows = quiet()
        self.shows.setFixedHeight(_CHIP_PX)
        self.chips = {one.id: AnswerChip(one.label, one.answers) for one in AGREEMENTS.values()}
        self.ask = QPushButton(tr("Ask the client …"))
        self.ask.setToolTip(tr("Writes a proof sheet for the client’s browser into the outbox"))
        self.minutes, self.rate, self.currency, self.price = (QLineEdit() for _ in range(4))
        self.speed = ElidedLabel(mode=Qt.TextElideMode.ElideRight)
        self.speed.setObjectName("quiet")
        self.speed.setFont(font(SMALL_PT))
        self._arrange()
        self._connect()

    def _arrange(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        grid.setColumnMinimumWidth(0, _LABEL_PX)
        grid.setColumnStretch(1, 1)
        for field, name, width in ((self.minutes, "Minutes allowed", 62), (self.rate, "Rate an hour", 72),
                                   (self.currency, "Currency", 52), (self.price, "Price agreed", 100)):
            field.setAccessibleName(name)
            field.setFixedWidth(width)
        self.price.setPlaceholderText(tr("as planned"))
        agreements = QWidget()
        flow = FlowLayout(agreements)
        for chip in self.chips.values():
            flow.addWidget(chip)
        flow.addWidget(self.ask)
        rows = (
            ("Job", [self.title, self.client]), ("Kind of job", [self.kind]), ("Route", [self.route, self.route_line]),
            ("Delivered as", [self.preset, self._outputs]), ("Agreed with client", [agreements]),
            ("Time and money", [self.minutes, quiet("min"), self.rate, self.currency, quiet("an hour"), self.price,
                                quiet("agreed"), self.speed]),
        )
        for number, (label, widgets) in enumerate(rows):
            grid.addWidget(quiet(label, small=False), number, 0)
            line = QHBoxLayout()
            line.setSpacing(7)
            for widget in widgets:
                wide = widget in (self.title, self.client, self.route_line, agreements, self._outputs, self.speed)
                line.addWidget(widget, 1 if wide else 0)
            if not any(w in widgets for w in (self.title, self.route_line, agreements, self._outputs, self.speed)):
                line.addStretch(1)
            grid.addLayout(line, number, 1)

    def _connect(self) -> None:
        self.title.editingFinished.connect(lambda: self._text("title", self.title, self._sheet.title))
        self.client.editingFinished.connect(lambda: self._text("client", self.client, self._sheet.client))
        self.currency.editingFinished.connect(lambda: self._text("currency", self.currency, self._sheet.currency))
        self.kind.chosen.connect(lambda key: self.changed.emit("kind", key))
        self.route.chosen.connect(lambda key: self.changed.emit("route", key))
        self.preset.activated.connect(self._take_preset)
        self.add_output.clicked.connect(self._add_output)
        for agreement_id, chip in self.chips.items():
            chip.answered.connect(lambda key, which=agreement_id: self._answer(which, key))
        self.ask.clicked.connect(self.asked_client)
        self.minutes.editingFinished.connect(self._take_minutes)
        self.rate.editingFinished.connect(lambda: self._take_money("rate_cents", self.rate, self._sheet.rate_cents))
        self.price.editingFinished.connect(lambda: self._take_money("price_cents", self.price, self._sheet.price_cents))

    # what is asked for

    def _text(self, key: str, field: QLineEdit, held: str) -> None:
        text = typed(field)[:200]
        if text != held:
            self.changed.emit(key, text)

    def _take_minutes(self) -> None:
        text = typed(self.minutes).replace(",", ".")
        try:
            value = float(text) if text else None
        except ValueError:
            value = self._sheet.minutes_allowed
        if value is not None and not 0 <= value <= 100_000:
            value = self._sheet.minutes_allowed
        if value != self._sheet.minutes_allowed:
            self.changed.emit("minutes_allowed", value)
        else:
            self._show_numbers()

    def _take_money(self, key: str, field: QLineEdit, held: int | None) -> None:
        text = typed(field)
        value = cents_of(text) if text else None
        if text and value is None:
            self._show_numbers()
        elif value != held:
            self.changed.emit(key, value)

    def _answer(self, agreement_id: str, key: str) -> None:
        self.changed.emit("agreed", self._agreed | {agreement_id: key})

    def _take_preset(self, index: int) -> None:
        specs = presets(presets_file()).get(self.preset.itemText(index))
        if specs is not None:
            self.changed.emit("outputs", [spec.to_json() for spec in specs])

    def _add_output(self) -> None:
        held = self._sheet.outputs
        spec = OutputSpec(new_output_id(held), "Web", size="px")
        self.changed.emit("outputs", [one.to_json() for one in (*held, spec)])
        self.open_output(len(held))

    def open_output(self, number: int) -> OutputForm:
        """The form of one of the outputs."""
        form = OutputForm(self._sheet.outputs[number], self)
        form.changed.connect(lambda spec: self._put(spec))
        form.removed.connect(lambda: self.changed.emit("outputs", [
            one.to_json() for one in self._sheet.outputs if one.id != form.spec.id]))
        form.pop_up(self.output_chips[number])
        return form

    def _put(self, spec: OutputSpec) -> None:
        self.changed.emit("outputs", [(spec if one.id == spec.id else one).to_json() for one in self._sheet.outputs])

    # what is shown

    def show_job(self, job: Job, plan: Plan | None) -> None:
        self._sheet, self._agreed = JobSheet.of(job.brief), dict(job.brief.get("agreed") or {})
        sheet = self._sheet
        for field, text in ((self.title, sheet.title), (self.client, sheet.client)):
            show_text(field, text)
        self.kind.set_value(sheet.kind)
        route = route_of(sheet.route)
        self.route.set_value(route.id)
        self.route_line.setText(tr(route.line))
        for agreement_id, chip in self.chips.items():
            chip.setVisible(sheet.is_child or not AGREEMENTS[agreement_id].children)
            chip.show_answer(agreed(job.brief, agreement_id))
        self._show_outputs()
        self._show_numbers()
        if plan is not None:
            self.shows.setText(tr(phrase("flaws under %1 px will not show", f"{plan.least_px:.1f}")
                                  if plan.least_px > _ALL_SHOW_PX else "all that is found can show at this size"))
            jobs = plan.speed_jobs
            self.speed.setText(tr(phrase("own speed from %1 jobs",
                                         jobs) if jobs else "shipped speeds until 3 jobs are logged"))

    def _show_numbers(self) -> None:
        sheet = self._sheet
        for field, text in (
            (self.minutes, "" if sheet.minutes_allowed is None else f"{sheet.minutes_allowed:g}"),
            (self.rate, "" if sheet.rate_cents is None else money(sheet.rate_cents)), (self.currency, sheet.currency),
            (self.price, "" if sheet.price_cents is None else money(sheet.price_cents)),
        ):
            show_text(field, text)

    def _show_outputs(self) -> None:
        names = list(presets(presets_file()))
        if [self.preset.itemText(n) for n in range(1, self.preset.count())] != names:
            self.preset.clear()
            self.preset.addItems([tr("Choose a set"), *names])
        known = presets(presets_file())
        held = next((name for name, specs in known.items() if specs == self._sheet.outputs), "")
        self.preset.setCurrentIndex(names.index(held) + 1 if held else 0)
        unit = settings.value("length")
        words = [f"{one.name} · {tr(one.size_text(unit) if one.on else phrase('off'))}" for one in self._sheet.outputs]
        if [chip.text() for chip in self.output_chips] == words and self._outputs_row.count():
            return
        while self._outputs_row.count():
            widget = self._outputs_row.takeAt(0).widget()
            if widget in self.output_chips:
                widget.hide()
                widget.deleteLater()
        self.output_chips = []
        for number, text in enumerate(words):
            chip = QPushButton(tr(text))
            chip.setObjectName("toggle")
            chip.setToolTip(tr("Change this output"))
            chip.clicked.connect(lambda _, n=number: self.open_output(n))
            self.output_chips.append(chip)
            self._outputs_row.addWidget(chip)
        self._outputs_row.addWidget(self.add_output)
        self._outputs_row.addWidget(self.shows)
        for widget in (*self.output_chips, self.add_output, self.shows):
            widget.show()
        self.updateGeometry()
