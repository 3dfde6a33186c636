"""Brief: the job sheet. The photo with its face map, what was agreed, and the plan that follows from both."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from lather.core.deliver.proof_sheet import write_proof_sheet
from lather.core.job.brief import JobSheet, clock_text, money
from lather.core.job.commands import DecideFind, SetBrief, Together
from lather.core.job.model import Job
from lather.core.phrases import joined, phrase
from lather.core.plan.plan import Plan
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.brief.facts_view import RowsView, fact_rows, limit_rows
from lather.desktop.brief.plan_table import PlanTable
from lather.desktop.brief.sheet_form import SheetForm, quiet
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.areas.face_map import FaceControl
from lather.desktop.controls.beside.planning import Planning
from lather.desktop.controls.finds.looking import Looking
from lather.desktop.controls.viewing.remarks import draw_remarks
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import filled, panel, rule, scrolled
from lather.desktop.window.message_line import MessageLine

_PHOTO_PX, _LEAST_PHOTO_PX = 440, 300
_WIDE_PX, _WIDE_PHOTO, _BESIDE_PX = 1640, 0.33, 500  # from which all three views are seen at once, and the photo large
_CAUTIONS = {
    "identity-true": "A photo for an identity document must not be retouched.",
    "newborn/child": "A child’s picture needs the guardians’ consent. A child’s body is not reshaped.",
    "beauty": "In some places retouched people in advertising have to be labelled: check the local rules.",
    "fashion": "In some places retouched people in advertising have to be labelled: check the local rules.",
    "body": "In some places altered bodies in advertising have to be labelled: check the local rules.",
}
_ALWAYS = "Lather judges looks, not health: a mark on the skin is the client’s to ask a doctor about."
_HINT = "Drag the points of the face. {lay_down} goes to the desk; {brief} comes back here."


class BriefScreen(QWidget):
    """`message(text)`; `to_desk()`: the sheet is done. looking, planning: of the desk, which measures and finds."""

    message = pyqtSignal(object)
    to_desk = pyqtSignal()

    def __init__(self, job: OpenJob, looking: Looking, planning: Planning, parent=None):
        super().__init__(parent)
        self.job, self.looking, self.planning = job, looking, planning
        self._background = Background(self)
        self.canvas = PhotoCanvas(job.session.engine, settings.display_profile().profile)
        self.canvas.failed.connect(self.message)
        self.face = FaceControl(self.canvas, job, self)
        self.canvas.pen.connect(self.face.pen_event)
        self.canvas.overlay = self._draw_over
        self.form, self.table = SheetForm(), PlanTable()
        self.facts, self.limits = RowsView("What was measured"), RowsView("Limits of the kind of job")
        self.views = Choices("Show", {"plan": "Plan", "facts": "Measured", "limits": "Limits"}, "plan")
        self.stack = QStackedWidget()
        self.shown, self.sum, self.caution = QLabel(), QLabel(), quiet()
        self.first_out = ElidedLabel(mode=Qt.TextElideMode.ElideRight)
        self.leave = QPushButton(tr("Leave these out"))
        self.leave.setToolTip(tr("Leaves out what is least seen for its time, until the plan fits"))
        self.desk_button = QPushButton(tr("To the desk"))
        self.desk_button.setObjectName("primary")
        self.strip = [quiet() for _ in range(6)]
        self.messages = MessageLine()
        self._arrange()
        self._connect()
        self.show_job(job.job)

    def _arrange(self) -> None:
        whole, row = filled(self)
        whole.addWidget(self.messages)
        self.messages.show_hint(_HINT)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(self.canvas, 1)
        left.addWidget(self._facts_strip())
        holder = QWidget()
        holder.setLayout(left)
        left.setContentsMargins(0, 0, 0, 0)
        holder.setMinimumWidth(_LEAST_PHOTO_PX)
        holder.setMaximumWidth(_PHOTO_PX)
        self._holder = holder
        row.addWidget(holder, _PHOTO_PX)
        side = panel(100)
        side.setMinimumWidth(0)
        side.setMaximumWidth(16_777_215)
        row.addWidget(side, 1280 - _PHOTO_PX)
        self.beside = panel(_BESIDE_PX)
        self._beside_column = QVBoxLayout(self.beside)
        self._beside_column.setContentsMargins(12, 14, 12, 8)
        self._beside_column.setSpacing(8)
        for text in ("Measured", "Limits"):
            title = QLabel(tr(text))
            title.setFont(font(strong=True))
            self._beside_column.addWidget(title)
        self.beside.hide()
        row.addWidget(self.beside)
        column = QVBoxLayout(side)
        column.setContentsMargins(18, 10, 18, 8)
        column.setSpacing(7)
        column.addWidget(self.form)
        column.addWidget(rule())
        head = QHBoxLayout()
        head.addWidget(self.views)
        head.addStretch(1)
        self.shown.setObjectName("quiet")
        head.addWidget(self.shown)
        column.addLayout(head)
        plan = QWidget()
        inside = QVBoxLayout(plan)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.table)
        inside.addStretch(1)
        for widget in (scrolled(plan, "Plan", by_keys=True), self.facts, self.limits):
            self.stack.addWidget(widget)
        column.addWidget(self.stack, 1)
        column.addWidget(rule())
        foot = QHBoxLayout()
        foot.setSpacing(12)
        self.sum.setFont(font(strong=True))
        foot.addWidget(self.sum)
        self.first_out.setObjectName("quiet")
        self.first_out.setFont(font(SMALL_PT))
        foot.addWidget(self.first_out, 1)
        foot.addWidget(self.leave)
        foot.addWidget(self.desk_button)
        column.addLayout(foot)
        self.caution.setWordWrap(True)
        column.addWidget(self.caution)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)

    def _facts_strip(self) -> QWidget:
        strip = QWidget()
        strip.setObjectName("raised")
        strip.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        grid = QVBoxLayout(strip)
        grid.setContentsMargins(12, 6, 12, 6)
        grid.setSpacing(2)
        for start in (0, 3):
            line = QHBoxLayout()
            for label in self.strip[start : start + 3]:
                line.addWidget(label, 1)
            grid.addLayout(line)
        return strip

    def _connect(self) -> None:
        self.form.changed.connect(lambda key, value: self.job.do(SetBrief(key, value)))
        self.form.asked_client.connect(self.ask_client)
        self.table.overridden.connect(self._override)
        self.views.chosen.connect(self._show_view)
        self.leave.clicked.connect(self._leave_out)
        self.desk_button.clicked.connect(self.to_desk)
        self.face.message.connect(self.message)
        self.face.moved.connect(self.looking.start)
        self.looking.changed.connect(self._show_progress)
        self.planning.changed.connect(lambda: self.show_job(self.job.job))
        self.job.changed.connect(self.show_job)

    def _draw_over(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        self.face.draw(painter, canvas)
        draw_remarks(painter, canvas, self.job.job)

    # what is asked for

    def _override(self, stage_id: str, name: str, value: object) -> None:
        held = {k: dict(v) for k, v in JobSheet.of(self.job.job.brief).overrides.items()}
        row = held.setdefault(stage_id, {})
        row.pop(name, None)
        if value is not None:
            row[name] = value
        self.job.do(SetBrief("plan", {k: v for k, v in held.items() if v}))

    def _leave_out(self) -> None:
        """Skip the finds, and leave the stages, that are least seen for the time they take."""
        plan, job = self.planning.plan, self.job.job
        steps, overrides = [], {k: dict(v) for k, v in JobSheet.of(job.brief).overrides.items()}
        freed: set[str] = set()
        for one in plan.leave_out[: plan.needed]:
            if one.finds:
                steps += [DecideFind(f.id, "skip") for f in job.finds or () if f.worth and f.kind == one.kind
                          and f.zone == one.zone and job.find_state(f) == "open"]
            else:
                freed.add(one.stage_id)
        for stage_id in freed:
            gone = sum(one.seconds for one in plan.leave_out[: plan.needed] if one.stage_id == stage_id)
            rest = plan.row(stage_id).seconds - gone
            overrides.setdefault(stage_id, {}).update({"minutes": rest / 60} if rest > 0 else {"do": False})
        if freed:
            steps.append(SetBrief("plan", overrides))
        self.job.do(Together("leave out", tuple(steps)))
        self.message.emit("Left out what is least seen for its time. Undo brings it back.")

    def ask_client(self) -> None:
        """Write the proof sheet, in the background."""
        session, job = self.job.session, self.job.job
        self.message.emit("Writing the proof sheet …")
        self._background.run(
            "proof", lambda task: write_proof_sheet(session, job=job),
            lambda path: self.message.emit(phrase("The proof sheet is in the outbox: %1. Drop the client’s answer on "
                                                  "this window.", path)),
            failed=self.message.emit, newest=True)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        wide = self.width() >= _WIDE_PX
        photo = round(_WIDE_PHOTO * self.width())
        self._holder.setMaximumWidth(photo if wide else _PHOTO_PX)
        self._holder.setMinimumWidth(photo if wide else _LEAST_PHOTO_PX)
        if wide == self.beside.isHidden():
            self._spread(wide)

    def _spread(self, wide: bool) -> None:
        """What was measured and the limits beside the plan, or behind it."""
        self.views.setVisible(not wide)
        self._show_view("plan")
        for number, view in enumerate((self.facts, self.limits)):
            if wide:
                self._beside_column.insertWidget(2 * number + 1, view, 1)
                view.show()
            else:
                self.stack.insertWidget(1 + number, view)
        self.beside.setVisible(wide)

    def _show_view(self, key: str) -> None:
        self.views.set_value(key)
        self.stack.setCurrentIndex(("plan", "facts", "limits").index(key))

    # what is shown

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.canvas.set_job(self.job.job)
        self.canvas.fit()
        self.face.set_editing(True)
        self.show_job(self.job.job)

    def hideEvent(self, event) -> None:
        super().hideEvent(event)
        self.face.set_editing(False)

    def _show_progress(self) -> None:
        looking = self.looking
        if looking.busy:
            self.shown.setText(tr("Measuring and looking for flaws: %1 %", f"{100 * looking.share:.0f}"))
            if self.isVisible() and self.face.face is None and self.job.job.face_map is not None:
                self.face.set_editing(True)
        else:
            self.show_job(self.job.job)
            if self.isVisible() and self.job.job.face_map is not None and self.face.face != self.job.job.face_map:
                self.face.set_editing(True)

    def show_job(self, job: Job) -> None:
        if not self.isVisible():
            return
        plan, facts = self.planning.plan, self.planning.facts
        self.form.show_job(job, plan)
        sheet = JobSheet.of(job.brief)
        self.limits.show_rows(limit_rows(sheet.kind))
        caution = _CAUTIONS.get(sheet.kind)
        self.caution.setText(f"{tr(caution)} {tr(_ALWAYS)}" if caution else tr(_ALWAYS))
        ready = plan is not None and facts is not None
        self.leave.setVisible(ready and plan.needed > 0)
        if not ready:
            if not self.looking.busy:
                self.shown.setText(tr("The photo is being measured; the plan follows in a few seconds."))
            self.sum.setText("")
            self.first_out.setText("")
            return
        self.facts.show_rows(fact_rows(facts, plan, job.finds))
        self._show_strip(facts)
        self.table.show_plan(plan)
        if not self.looking.busy:
            self.shown.setText(tr(phrase("%1 of %2 finds will show", plan.shown,
                                         plan.found) if job.finds is not None else
                                  "flaws were not looked for yet"))
        self._show_sum(plan)

    def _show_strip(self, facts) -> None:
        percent, size = facts.grain
        texts = (
            phrase("Face <b>%1 px</b> wide", f"{facts.face_px:.0f}") if facts.face_px else "No face found",
            phrase("Texture scale <b>%1 px</b>", f"{facts.split_px:.1f}") if facts.split_px else "Texture not told",
            phrase("Grain <b>%1 %</b>, %2 px", f"{percent:.1f}", f"{size:.1f}"),
            phrase("Skin <b>%1 %</b> of photo", f"{facts.skin_percent:.0f}"),
            phrase("Clipped skin <b>%1 %</b>", f"{facts.clipped_percent:.1f}"),
            phrase("Light from <b>%1</b>", facts.light_from),
        )
        for label, text in zip(self.strip, texts):
            label.setText(tr(text))

    def _show_sum(self, plan: Plan) -> None:
        cost = f" · {money(plan.cost_cents, plan.currency)}" if plan.rate_cents is not None else ""
        allowed = phrase(" of %1", clock_text(plan.allowed_seconds)) if plan.allowed_seconds is not None else ""
        self.sum.setText(f"{clock_text(plan.seconds)}{tr(allowed)}{tr(cost)}")
        over = plan.missing_seconds
        self.sum.setStyleSheet(f"color: {theme().near_text};" if over else "")
        if over:
            names = joined((one.what for one in plan.leave_out[: plan.needed]), ", ")
            count = phrase("%1 things", plan.needed) if plan.needed > 1 else "one thing"
            self.first_out.setText(tr("%1 over: leave out %2, %3", clock_text(over), count, names))
        elif plan.leave_out:
            first = plan.leave_out[0]
            self.first_out.setText(tr("if short: leave out %1 first (−%2)", first.what, clock_text(first.seconds)))
        else:
            self.first_out.setText("")

    def press(self, action: str) -> None:
        if action == "lay_down":
            self.to_desk.emit()
        elif action == "fit":
            self.canvas.fit()

    def release(self, action: str) -> None:
        """No held keys of its own."""

    def idle(self) -> bool:
        return self._background.idle() and self.face.idle() and self.planning.idle()

    def close_job(self) -> None:
        self._background.close()
        self.face.close()
        self.canvas.store.close()
