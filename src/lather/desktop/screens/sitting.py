"""Sitting: the frames of a person as a strip; what was carried over, what needs a look; skin held alike; the card."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lather.core.job.brief import clock_text
from lather.core.job.model import STAGE_IDS
from lather.core.phrases import Typed, joined, phrase
from lather.core.sitting.sitting import FINISHED, PHOTO, Frame, Person
from lather.core.sitting.skin_alike import ALIKE_DE, ALIKE_L
from lather.core.sitting.work import keeper_rows
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.sitting.control import KEEP, LEAVE, MEND, SittingControl
from lather.desktop.sitting.frame_view import FrameView
from lather.desktop.sitting.look_row import LookRow
from lather.desktop.sitting.skin_chart import SkinChart
from lather.desktop.sitting.strip import FrameStrip
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import RIGHT_PX, SMALL_PT, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import bar, filled, panel, rule, scrolled
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.window.message_line import MessageLine

_VIEW_PX, _CHARTS_PX, _STRIP_PX = 470, 170, 176
_MOST_KEEPERS = 5
_ALL = "all"
_HINT = "Finish one frame on the desk, then carry it over: marks that stay are recognised, the rest is mended anew."
_STAGE_WORDS = {
    "mend": "on this frame’s own skin", "split": "moved by the points of the face", "even": "needed light found anew",
    "strands": "found anew, never copied", "sculpt": "paths follow the face", "colour": "measured anew here",
    "shape": "follows the face", "grain": "this photo’s own grain", "crisp": "found by zone", "finish": "as it was",
}


class SittingScreen(QWidget):
    """`message(text)`; `open_wanted(path)`: a frame on the desk. job: what is open; a frame of it can be finished."""

    message = pyqtSignal(object)
    open_wanted = pyqtSignal(object)

    def __init__(self, control: SittingControl, job: OpenJob | None = None, parent=None):
        super().__init__(parent)
        self.control, self.job = control, job
        self.current = 0  # of the looks that are left
        self._shown: tuple = ()
        self._make()
        self._arrange()
        self._connect()
        self.refresh()

    # layout

    def _make(self) -> None:
        self.title, self.people_said, self.progress = QLabel(tr("Sitting")), QLabel(), ElidedLabel()
        self.title.setFont(font(strong=True))
        for label in (self.people_said, self.progress):
            label.setObjectName("quiet")
        self.people = Choices("Whose frames", {_ALL: "All"}, _ALL)
        self.sheet, self.stop, self.main = QPushButton(tr("Contact sheet")), QPushButton(tr("Stop")), QPushButton()
        self.main.setObjectName("primary")
        self.strip, self.view = FrameStrip(), FrameView()
        self.light = SkinChart("Light, L* against", lambda a, b: a.lightness - b.lightness, ALIKE_L,
                               signed=True)
        self.colour = SkinChart("Colour, ΔE against", lambda a, b: a.colour_off(b), ALIKE_DE,
                                signed=False)
        self.looks_head, self.looks_said = panel_head("Needs a look", "")
        self.carried_head, self.carried_said = panel_head("Carried over", "")
        self.rows: list[LookRow] = []
        self.desk, self.back = QPushButton(tr("Open on the desk")), QPushButton(tr("Take this carry back"))
        self.name_button = QPushButton(tr("Name this person …"))
        self.messages = MessageLine()

    def _arrange(self) -> None:
        whole, row = filled(self)
        head, line = bar(14, 8)
        for widget in (self.title, self.people_said, self.people):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(self.progress, 2)
        for widget in (self.stop, self.sheet, self.main):
            line.addWidget(widget)
        self._strip_area = QScrollArea()
        self._strip_area.setWidgetResizable(True)
        self._strip_area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._strip_area.setFixedHeight(_STRIP_PX)
        self._strip_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._strip_area.setWidget(self.strip)
        whole.insertWidget(0, head)
        whole.insertWidget(1, self._strip_area)
        whole.insertWidget(2, rule())
        row.addWidget(self._left())
        row.addWidget(self._middle(), 1)
        row.addWidget(self._card())
        whole.addWidget(self.messages)

    def _left(self) -> QWidget:
        left = panel(_VIEW_PX)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.view, 1)
        charts = QWidget()
        charts.setFixedHeight(_CHARTS_PX)
        both = QGridLayout(charts)
        both.setContentsMargins(10, 6, 6, 0)
        both.setVerticalSpacing(0)
        for number, chart in enumerate((self.light, self.colour)):
            label = QLabel()
            label.setFont(font(SMALL_PT, strong=True))
            chart.head = label
            both.addWidget(label, 0, number)
            both.addWidget(chart, 1, number)
        column.addWidget(charts)
        return left

    def _middle(self) -> QWidget:
        middle = QWidget()
        middle.setObjectName("panel")
        middle.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(middle)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(8)
        column.addLayout(self.looks_head)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 4, 0)
        self._list.setSpacing(6)
        column.addWidget(scrolled(inner, "What needs a look"), 3)
        self._carried_area = QWidget()
        area = QVBoxLayout(self._carried_area)
        area.setContentsMargins(0, 0, 0, 0)
        area.addLayout(self.carried_head)
        table = QWidget()
        self._table = QGridLayout(table)
        self._table.setContentsMargins(0, 0, 4, 0)
        self._table.setVerticalSpacing(5)
        self._table.setColumnStretch(1, 1)
        area.addWidget(scrolled(table, "What was carried over"), 1)
        column.addWidget(self._carried_area, 2)
        buttons = QHBoxLayout()
        buttons.addWidget(self.desk, 1)
        buttons.addWidget(self.back, 1)
        column.addLayout(buttons)
        return middle

    def _card(self) -> QWidget:
        side = panel(RIGHT_PX)
        column = QVBoxLayout(side)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(6)
        head = QHBoxLayout()
        self.face, self.who, self.known = QLabel(), ElidedLabel(), QLabel()
        self.face.setFixedSize(52, 52)
        self.who.setFont(font(10.5, strong=True))
        self.known.setObjectName("quiet")
        words = QVBoxLayout()
        words.addWidget(self.who)
        words.addWidget(self.known)
        head.addWidget(self.face)
        head.addLayout(words, 1)
        column.addLayout(head)
        column.addWidget(self.name_button)
        self._card_rows = QGridLayout()
        self._card_rows.setVerticalSpacing(4)
        self._card_rows.setColumnStretch(0, 1)
        column.addLayout(self._card_rows)
        column.addStretch(1)
        self.caution = QLabel(tr("Marks that stay are told by place and look. Whether a mark should be seen by a "
                                 "doctor is not for Lather to say."))
        self.caution.setWordWrap(True)
        self.caution.setObjectName("quiet")
        self.caution.setFont(font(SMALL_PT))
        column.addWidget(self.caution)
        return side

    def _connect(self) -> None:
        self.control.changed.connect(self.refresh)
        self.control.progressed.connect(self._show_bar)
        self.control.seen.connect(lambda _: self.refresh())
        self.strip.chosen.connect(self._choose_frame)
        self.strip.opened.connect(lambda name: self._open(name))
        self.people.chosen.connect(lambda _: self.refresh())
        self.view.chosen.connect(self._choose_look)
        self.main.clicked.connect(self._main)
        self.stop.clicked.connect(self.control.stop)
        self.sheet.clicked.connect(self._contact_sheet)
        self.desk.clicked.connect(lambda: self._open(self.control.chosen))
        self.back.clicked.connect(lambda: self.control.take_back(self.control.chosen))
        self.name_button.clicked.connect(self._name_person)
        for button in (self.main, self.stop, self.sheet, self.desk, self.back, self.name_button):
            button.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty(TAKES_COMMANDS, True)
        self.setAccessibleName("Sitting")

    # what is shown

    @property
    def frame(self) -> Frame | None:
        return self.control.frame

    @property
    def person(self) -> Person | None:
        frame = self.frame
        return self.control.sitting.person(frame.person) if frame is not None and frame.person else None

    @property
    def targets(self) -> list[str]:
        """Frames that the finished one can be carried to: of the same person, and not retouched yet."""
        sitting, source = self.control.sitting, self.control.reference
        if not source:
            return []
        whose = sitting.frame(source).person
        return [f.name for f in sitting.frames if f.name != source and f.state == PHOTO and f.person == whose
                and not sitting.job(f.name).is_file()]  # what was begun by hand is not written over

    @property
    def on_desk(self) -> str:
        """Name of the frame that is open on the desk; "" where it is none of this sitting's."""
        if self.job is None:
            return ""
        session = self.job.session
        return self.control.holds(session.job_file) or self.control.holds(session.photo_path)

    def refresh(self) -> None:
        sitting = self.control.sitting
        if sitting is None:
            return
        self._show_people()
        whose = self.people.value
        frames = [f for f in sitting.frames if whose == _ALL or f.person == whose]
        source = self.control.reference
        reference = sitting.frame(source) if source else None
        self.strip.show_frames(frames, self.control.thumbs, reference, self.control.chosen)
        skin = reference.now if reference is not None else None
        theirs = [f for f in frames if reference is None or f.person == reference.person]  # skin of one person
        for chart in (self.light, self.colour):
            chart.show_frames(theirs, skin)
            chart.head.setText(f"{tr(chart.name)} {reference.stem}" if reference is not None else tr(chart.name))
        self._show_bar()
        left = self.frame.looks_left
        self.current = min(self.current, max(0, len(left) - 1))
        number = left[self.current] if left else -1
        self.view.show_frame(self.frame, self.control.pictures.get(self.control.chosen), number)
        self._show_looks(number)
        self._show_carried()
        self._show_card()

    def _show_people(self) -> None:
        sitting = self.control.sitting
        options = {_ALL: phrase("All · %1", len(sitting.frames))} | {
            one.id: f"{one.name} · {len(sitting.of_person(one.id))}" for one in sitting.persons
            if sitting.of_person(one.id)}
        if self.people.options != options:
            self.people.set_options(options)
        count = len(options) - 1
        self.people_said.setText(tr(phrase("%1 frames", len(sitting.frames)) + (
               f", {count} {'person' if count == 1 else 'people'}" if count else "")))

    def _show_bar(self) -> None:
        sitting, source = self.control.sitting, self.control.reference
        carried = sum(f.state not in (PHOTO, FINISHED) for f in sitting.frames)
        looks = sum(len(f.looks_left) for f in sitting.frames)
        done = phrase("%1 carried · %2 to look at", carried, looks) if carried else ""
        self.progress.setText(tr(self.control.progress or done))
        self.stop.setVisible(self.control.carrying)
        stem, here = Path(source).stem, self.on_desk
        if here and sitting.frame(here).state != FINISHED:
            self._does, text = "finish", phrase("%1 is finished", Path(here).stem)
        elif source and self.targets:
            self._does, text = "carry", phrase("Carry %1 over to %2", stem, len(self.targets))
        elif source:
            self._does, text = "", phrase("%1 is carried over", stem)
        else:
            self._does, text = "open", phrase("Retouch %1", self.frame.stem)
        self.main.setText(tr(text))
        self.main.setEnabled(bool(self._does) and not self.control.carrying)
        self.main.setToolTip(tr({
               "finish": "As it is on the desk now: the others are held to it, and it can be carried over",
               "carry": "Mends, paths, adjustments, keepers, to every frame of this person that is not retouched yet",
               "open": "Open this frame on the desk; come back when it is as it should be"}.get(self._does, "")))

    def _show_looks(self, number: int) -> None:
        frame = self.frame
        left = frame.looks_left
        self.looks_said.setText(tr(phrase("%1 on %2 · Q, W step", len(left), frame.stem) if left else ""))
        shown = (frame, number, frame.name in self.control.pictures, self.control.reference in self.control.pictures)
        if shown == self._shown:
            return
        self._shown = shown
        _empty(self._list)
        self.rows = []
        for one in left:
            row = LookRow(one, frame.carried.looks[one], self.control.crops(frame.name, one), one == number)
            row.answered.connect(self._answer)
            row.chosen.connect(self._choose_look)
            self.rows.append(row)
            self._list.addWidget(row)
        if not left:
            text = {PHOTO: _HINT, FINISHED: phrase("%1 is the finished frame the others are held to.", frame.stem)}.get(
                frame.state, "Nothing left to look at on this frame.")
            said = QLabel(tr(text))
            said.setWordWrap(True)
            said.setObjectName("quiet")
            self._list.addWidget(said)
        self._list.addStretch(1)

    def _show_carried(self) -> None:
        frame = self.frame
        _empty(self._table)
        told = frame.carried
        self.back.setVisible(told is not None)
        self._carried_area.setVisible(told is not None)
        self.desk.setText(tr("Open %1 on the desk", frame.stem))
        if told is None:
            self.carried_said.setText("")
            return
        done, wanted = told.count
        self.carried_said.setText(tr("%1 of %2 edits · %3 s", done, wanted, f"{told.seconds:.0f}"))
        for row, stage_id in enumerate(s for s in STAGE_IDS if s in told.stages or s in told.anew):
            name, words = QLabel(tr(stage_id.capitalize())), QLabel(tr(_STAGE_WORDS[stage_id]))
            words.setObjectName("quiet")
            words.setFont(font(SMALL_PT))
            moved = "{} of {}".format(*told.stages[stage_id]) if stage_id in told.stages else ""
            anew = phrase("%1 new", told.anew[stage_id]) if stage_id in told.anew else ""
            count = QLabel(tr(joined((moved, anew), ", ")))
            for column, label in enumerate((name, words, count)):
                self._table.addWidget(label, row, column)
        self._table.setRowStretch(len(STAGE_IDS) + 1, 1)

    def _show_card(self) -> None:
        person, sitting = self.person, self.control.sitting
        _empty(self._card_rows)
        self.name_button.setVisible(person is not None)
        if person is None:
            self.who.setText(tr("Nobody known here"))
            self.known.setText(tr("no face was found"))
            self.face.clear()
            return
        frames = sitting.of_person(person.id)
        self.who.setText(Typed(person.name))
        self.known.setText(tr("on %1 of %2 frames", len(frames), len(sitting.frames)))
        thumb = self.control.thumbs.get(person.reference) or self.control.thumbs.get(self.control.chosen)
        if thumb is not None:
            self.face.setPixmap(QPixmap.fromImage(thumb.scaled(
                52, 52, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
                .copy(0, 4, 52, 52)))
        row = self._card_head("Keepers", str(len(person.keepers)), 0)
        told = keeper_rows(sitting, person)
        for name, stays, hidden, look in told[:_MOST_KEEPERS]:
            text = phrase("stays on %1, hidden %2", stays, hidden) if hidden else phrase("stays on %1", stays)
            if look:
                text = phrase("%1 to look at", look)
            row = self._card_line(name, text, row, warns=bool(look))
        if len(told) > _MOST_KEEPERS:
            row = self._card_line(phrase("%1 more", len(told) - _MOST_KEEPERS), "", row)
        row = self._card_head("Held alike", "", row)
        for name, text in person.held.items():
            row = self._card_line(name, text, row)
        if not person.held:
            row = self._card_line("nothing yet", "finish a frame", row)
        seconds = {f.name: self.control.seconds(f.name) for f in frames}
        row = self._card_head("Hands-on time", "", row)
        alone = seconds.get(person.reference, 0)
        row = self._card_line(phrase("%1 frames", len(frames)), clock_text(sum(seconds.values())), row)
        self._card_line(phrase("%1 alone", Path(person.reference).stem), clock_text(alone), row)

    def _card_head(self, name: str, count: str, row: int) -> int:
        label, number = QLabel(tr(name)), QLabel(tr(count))
        label.setFont(font(strong=True))
        number.setObjectName("quiet")
        self._card_rows.addWidget(rule(), row, 0, 1, 2)
        self._card_rows.addWidget(label, row + 1, 0)
        self._card_rows.addWidget(number, row + 1, 1, Qt.AlignmentFlag.AlignRight)
        return row + 2

    def _card_line(self, name: str, text: str, row: int, *, warns: bool = False) -> int:
        label, value = ElidedLabel(), QLabel(tr(text))
        label.setText(tr(name))
        label.setToolTip(tr(name))
        value.setFont(font(SMALL_PT, strong=warns))
        if warns:
            value.setStyleSheet(f"color: {theme().near_text};")
        else:
            value.setObjectName("quiet")
        self._card_rows.addWidget(label, row, 0)
        self._card_rows.addWidget(value, row, 1, Qt.AlignmentFlag.AlignRight)
        return row + 1

    # what is done

    def _choose_frame(self, name: str) -> None:
        self.current = 0
        self.control.choose(name)

    def _choose_look(self, number: int) -> None:
        left = self.frame.looks_left
        if number in left:
            self.current = left.index(number)
            self.refresh()

    def _answer(self, number: int, answer: str) -> None:
        self.control.deal_with(self.control.chosen, number, answer)

    def _main(self) -> None:
        source = self.control.reference
        if self._does == "finish":
            self.control.take_finished(self.on_desk, self.job.session)
        elif self._does == "carry":
            open_one = self.job.session if self.on_desk == source else None
            self.control.carry_over(source, self.targets, open_one)
        elif self._does == "open":
            self._open(self.control.chosen)

    def _open(self, name: str) -> None:
        job = self.control.sitting.job(name)
        self.open_wanted.emit(job if job.is_file() else self.control.sitting.photo(name))

    def _contact_sheet(self) -> None:
        folder = self.control.sitting.folder
        path, _ = QFileDialog.getSaveFileName(self, "Write the contact sheet", str(folder / "contact-sheet.png"),
                                              "PNG picture (*.png)")
        if path:
            self.control.write_contact_sheet(Path(path).with_suffix(".png"))

    def _name_person(self) -> None:
        name, given = QInputDialog.getText(self, "Name this person", "Who is on these frames?", text=self.person.name)
        if given and name.strip():
            self.control.rename(self.person.id, name.strip())

    def press(self, action: str) -> None:
        left = self.frame.looks_left if self.frame is not None else []
        if action in ("next_find", "previous_find") and left:
            self.current = (self.current + (1 if action == "next_find" else -1)) % len(left)
            self.refresh()
        elif action in ("mend_find", "keep_find", "skip_find") and left:
            answer = {"mend_find": MEND, "keep_find": KEEP, "skip_find": LEAVE}[action]
            self._answer(left[self.current], answer)
        elif action == "lay_down" and self.frame is not None:
            self._open(self.control.chosen)

    def release(self, action: str) -> None:
        """No held keys of its own."""

    def idle(self) -> bool:
        return self.control.idle()

    def close_job(self) -> None:
        for signal in (self.control.changed, self.control.progressed, self.control.seen):
            signal.disconnect()


def _empty(layout: QLayout) -> None:
    """Without what is in it; hidden at once, as it goes only later."""
    while layout.count():
        widget = layout.takeAt(0).widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
