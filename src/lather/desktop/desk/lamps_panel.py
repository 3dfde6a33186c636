"""Lamps: ways of looking at the picture while it is worked on. C takes the next one, V none."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lather.core.lamps.base import Lamp
from lather.core.lamps.registry import LAMPS, PLAIN
from lather.desktop.texts import tr
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.value_slider import ValueSlider, number_slider

_A_ROW = 3
_FOLDED = 5  # pills that are seen while the rest is folded away


class LampsPanel(QWidget):
    """`chosen(lamp id)` when another one is taken, PLAIN for none, or when the strength of the one in hand is set."""

    chosen = pyqtSignal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(panel_head("Lamps", "C next · V none", small=True)[0])
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        tips = {PLAIN: ("Plain", "The picture as it will be delivered")}
        tips |= {lamp.id: (lamp.label, lamp.hint) for lamp in LAMPS.values()}
        self._rows: list[QHBoxLayout] = []
        row = QHBoxLayout()
        for number, (lamp_id, (label, hint)) in enumerate(tips.items()):
            if number % _A_ROW == 0:
                row = QHBoxLayout()
                row.setSpacing(6)
                column.addLayout(row)
                self._rows.append(row)
            button = QPushButton(tr(label))
            button.setObjectName("toggle")
            button.setCheckable(True)
            button.setToolTip(tr(hint))
            button.clicked.connect(lambda _, lamp_id=lamp_id: self.choose(lamp_id))
            self._group.addButton(button)
            self.buttons[lamp_id] = button
            row.addWidget(button)
            if number % _A_ROW == _A_ROW - 1 or number == len(tips) - 1:
                row.addStretch(1)
        self.more = QPushButton()
        self.more.setObjectName("toggle")
        self.more.clicked.connect(lambda: self.fold(False))
        self._rows[_FOLDED // _A_ROW].insertWidget(_FOLDED % _A_ROW, self.more)
        self.buttons[PLAIN].setChecked(True)
        self.fold(False)
        self._touched: set[str] = set()
        self.strengths: dict[str, ValueSlider] = {}
        for lamp in LAMPS.values():
            if lamp.strength is not None:
                self._add_strength(lamp)

    def _add_strength(self, lamp: Lamp) -> None:
        """Each lamp keeps its own strength; only that of the lamp in hand is seen."""
        slider = number_slider(lamp.strength)
        slider.setVisible(False)
        slider.changed.connect(lambda *_: self._strength_set(lamp.id))
        self.strengths[lamp.id] = slider
        self.layout().addWidget(slider)

    def _strength_set(self, lamp_id: str) -> None:
        self._touched.add(lamp_id)
        self.chosen.emit(self.value)

    def set_start(self, lamp_id: str, shown_value: float) -> None:
        """Where a strength begins by what was measured, unless the person has set it."""
        if lamp_id not in self._touched:
            self.strengths[lamp_id].set_value(shown_value)

    def fold(self, on: bool) -> None:
        """Only the first lamps, where there is no room for all; the rest opens in place."""
        buttons = list(self.buttons.values())
        on = on and not any(button.isChecked() for button in buttons[_FOLDED:])
        for button in buttons[_FOLDED:]:
            button.setVisible(not on)
        self.more.setVisible(on)
        self.more.setText(f"+ {len(buttons) - _FOLDED}")
        self.more.setToolTip(tr("The other lamps: %1", ", ".join(button.text() for button in buttons[_FOLDED:])))
        self.more.setAccessibleName(self.more.toolTip())

    @property
    def value(self) -> str:
        return next(lamp_id for lamp_id, button in self.buttons.items() if button.isChecked())

    @property
    def settings(self) -> dict:
        """What the person has set for the lamp in hand."""
        slider = self.strengths.get(self.value)
        return {} if slider is None else {"strength": slider.value / LAMPS[self.value].strength.shown_times}

    def choose(self, lamp_id: str) -> None:
        self.buttons[lamp_id].setChecked(True)
        if self.buttons[lamp_id].isHidden():
            self.fold(False)
        for one, slider in self.strengths.items():
            slider.setVisible(one == lamp_id)
        self.chosen.emit(lamp_id)

    def next(self) -> None:
        ids = list(self.buttons)
        self.choose(ids[(ids.index(self.value) + 1) % len(ids)])
