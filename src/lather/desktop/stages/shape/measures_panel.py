"""Measures of the face, left of the photo: each with its slider; the one in hand with what it is, and by side."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from lather.core.phrases import phrase
from lather.core.stages.shape.holds import ZONES
from lather.core.stages.shape.measures import FIRST, MEASURES, Measure
from lather.desktop.texts import tr
from lather.desktop.theme.style import font, restyle
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.frames import scrolled
from lather.desktop.widgets.signed_slider import SignedSlider, signed


class MeasureRow(QWidget):
    """One measure: a slider for both sides, or one for each."""

    moved = pyqtSignal(str, object, float, bool)
    picked = pyqtSignal(str)

    def __init__(self, measure: Measure, parent=None):
        super().__init__(parent)
        self.measure = measure
        self.setObjectName("measure")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 2, 6, 1)
        column.setSpacing(0)
        self.both = SignedSlider(measure.label, 3.0)
        self.both.setToolTip(tr("%1%2; in hand its points can be dragged. Tab to it and type a number, or double "
                                "click: as on the photo", measure.hint[:1].upper(), measure.hint[1:]))
        self.both.changed.connect(lambda value, dragging: self._tell(measure.sides, value, dragging))
        column.addWidget(self.both)
        self.title = QLabel(tr("%1, singly", measure.label))
        self.title.setFont(font(SMALL_PT, strong=True))
        column.addWidget(self.title)
        self.sides: dict[str, SignedSlider] = {}
        for side in measure.sides if len(measure.sides) > 1 else ():
            slider = SignedSlider(side, 3.0)
            slider.setAccessibleName(f"{measure.label}, {side}")
            slider.changed.connect(lambda value, dragging, side=side: self._tell((side,), value, dragging))
            self.sides[side] = slider
            column.addWidget(slider)
        self.facts = QLabel()
        self.facts.setObjectName("quiet")
        self.facts.setFont(font(SMALL_PT))
        self.facts.setWordWrap(True)
        self.facts.setToolTip(tr("On the photo → now, in % of the face's width; and in the print"))
        column.addWidget(self.facts)

    def _tell(self, sides: tuple[str, ...], value: float, dragging: bool) -> None:
        self.picked.emit(self.measure.id)
        self.moved.emit(self.measure.id, sides, value, dragging)

    def mousePressEvent(self, event) -> None:
        self.picked.emit(self.measure.id)

    def show_state(self, values: dict[str, float], most: float, in_hand: bool, singly: bool, facts: str) -> None:
        """values: by side, %. most: each way."""
        apart = singly and in_hand and bool(self.sides)
        each = list(values.values())
        same = max(each) - min(each) < 0.05
        for slider in (self.both, *self.sides.values()):
            slider.low, slider.high = -max(most, 0.1), max(most, 0.1)
            slider.setEnabled(most > 0)
        apart_text = " | ".join(signed(value).removesuffix(" %") for value in each)
        self.both.show_value(sum(each) / len(each), "" if same else apart_text)
        for side, slider in self.sides.items():
            slider.show_value(values[side])
            slider.setVisible(apart)
        self.both.setVisible(not apart)
        self.title.setVisible(apart)
        self.facts.setText(tr(facts))
        self.facts.setVisible(in_hand and bool(facts))
        tint = theme().accent_tint if in_hand else "transparent"
        restyle(self, f"#measure {{ background: {tint}; border-radius: 6px; }}")


class MeasuresPanel(QWidget):
    """`moved(id, sides, percent, dragging)`; `picked(id)`; `singly_chosen(bool)`; `cleared()`; `evened()`;
    `zone_held(zone, bool)`.
    """

    moved = pyqtSignal(str, object, float, bool)
    picked = pyqtSignal(str)
    singly_chosen = pyqtSignal(bool)
    cleared = pyqtSignal()
    evened = pyqtSignal()
    zone_held = pyqtSignal(str, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 4, 8)
        column.setSpacing(4)
        self.sides = Choices("Sides", {"both": "Both sides", "singly": "Singly"}, "both")
        self.sides.setToolTip(tr("Both sides of the measure in hand alike, or each by itself; % of the face's width"))
        self.sides.chosen.connect(lambda key: self.singly_chosen.emit(key == "singly"))
        top = QHBoxLayout()
        top.setContentsMargins(4, 0, 4, 0)
        top.addWidget(self.sides)
        column.addLayout(top)
        self.empty = QLabel(tr("No face is known here, so nothing is measured. Push by hand."))
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        column.addWidget(self.empty)
        column.addWidget(self._list(), 1)
        self.note = QLabel()
        self.note.setObjectName("quiet")
        self.note.setFont(font(SMALL_PT))
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.clear = self._button("All to 0", "All measures as on the photo", self.cleared.emit)
        self.even = self._button("Even sides", "Both sides of every measure to the mean of the two", self.evened.emit)
        buttons.addWidget(self.clear)
        buttons.addWidget(self.even)
        column.addLayout(buttons)
        column.addWidget(self._zones())

    def _list(self) -> QScrollArea:
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 0, 4, 0)
        rows.setSpacing(1)
        self.rows: dict[str, MeasureRow] = {}
        for measure in MEASURES:
            row = MeasureRow(measure)
            row.moved.connect(self.moved)
            row.picked.connect(self.picked)
            self.rows[measure.id] = row
            rows.addWidget(row)
        self.more = self._button("", "Show all measures", self._show_more)
        rows.insertWidget(FIRST, self.more)
        rows.addStretch(1)
        self._all = False
        self.scroll = scrolled(inner, "Measures")
        self.scroll.setFrameShape(QFrame.Shape.NoFrame)
        return self.scroll

    def _zones(self) -> QWidget:
        """A switch for each zone that can be held."""
        box = QWidget()
        grid = QGridLayout(box)
        grid.setContentsMargins(0, 2, 0, 0)
        grid.setSpacing(3)
        title = QLabel(tr("Hold"))
        title.setFont(font(SMALL_PT, strong=True))
        grid.addWidget(title, 0, 0, 1, 4)
        self.zones: dict[str, QPushButton] = {}
        for number, (zone, label) in enumerate(ZONES.items()):
            button = self._button(label, phrase("%1: not moved by anything from now on", label),
                                  lambda on, zone=zone: self.zone_held.emit(zone, on))
            button.setCheckable(True)
            t = theme()
            button.setStyleSheet(
                "QPushButton { padding: 3px 1px; }"
                f"QPushButton:checked {{ background: {t.accent}; border-color: {t.accent}; color: {t.on_accent}; }}")
            self.zones[zone] = button
            grid.addWidget(button, 1 + number // 4, number % 4)
        return box

    def _button(self, text: str, tip: str, pressed) -> QPushButton:
        button = QPushButton(tr(text))
        button.setObjectName("small")
        button.setFont(font(SMALL_PT))
        button.setToolTip(tr(tip))
        button.clicked.connect(pressed)
        return button

    def _show_more(self) -> None:
        self._all = not self._all
        self._show_rows(self._all)

    def _show_rows(self, everything: bool) -> None:
        for number, row in enumerate(self.rows.values()):
            row.setVisible(everything or number < FIRST)

    def show_state(self, values: dict[tuple[str, str], float] | None, most: float, picked: str, singly: bool,
                   facts: str, note: str, zones: dict[str, bool]) -> None:
        """values: % by measure and side, None where no face is known. zones: {zone that can be held: held}."""
        known = values is not None
        for widget in (self.scroll, self.clear, self.even, self.sides):
            widget.setVisible(known)
        self.empty.setVisible(not known)
        self.note.setText(tr(note))
        self.sides.set_value("singly" if singly else "both")
        for zone, button in self.zones.items():
            button.setEnabled(zone in zones)
            button.setChecked(zones.get(zone, False))
        if not known:
            return
        for measure in MEASURES:
            own = {side: values.get((measure.id, side), 0.0) for side in measure.sides}
            in_hand = measure.id == picked
            self.rows[measure.id].show_state(own, most, in_hand, singly, facts if in_hand else "")
        hidden = list(MEASURES)[FIRST:]
        moved = sum(any(abs(values.get((m.id, side), 0.0)) >= 0.05 for side in m.sides) for m in hidden)
        said = "all at 0" if not moved else phrase("%1 moved", moved)
        everything = self._all or picked in {m.id for m in hidden}
        self.more.setText(tr("Fewer measures" if everything else phrase("%1 more measures · %2", len(hidden), said)))
        self._show_rows(everything)
        self.clear.setEnabled(bool(values))
        self.even.setEnabled(bool(values))
