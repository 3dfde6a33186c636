"""The box of one adjustment, made from its parameters; kinds with more to show add to it."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QPushButton, QWidget

from lather.core.job.model import Layer
from lather.core.parameters import Choice, Flag, Number, Parameter
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.signed_slider import SignedSlider
from lather.desktop.widgets.value_slider import ValueSlider, number_slider

_SWITCHES = 3  # in a row of the panel
USE = "use"
"""What the box asks for while there is no layer: one, as it is proposed."""


class AdjustBox(StagePanel):
    """`changed({setting: value}, dragging)`; `asked(word)` for what the box has a button for.

    columns: of its sliders. hidden: parameters that are measured, or shown otherwise.
    """

    changed = pyqtSignal(dict, bool)
    asked = pyqtSignal(str)
    columns = 1
    hidden: tuple[str, ...] = ()

    def __init__(self, kind: type[AdjustmentKind], parent=None):
        super().__init__(kind.label, parent)
        self.kind = kind
        self.controls: dict[str, QWidget] = {}
        self.use = QPushButton(tr("Use it as proposed"))
        self.use.setToolTip(tr("A layer with what was measured on this photo; a changed value, a place or a stroke "
                               "makes one as well"))
        self.use.clicked.connect(lambda: self.asked.emit(USE))
        self.column.addWidget(self.use)
        self.before_sliders()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(2)
        self.column.addLayout(self._grid)
        flags = [one for one in kind.own if isinstance(one, Flag) and one.id not in self.hidden]
        for one in kind.own:
            if one.id not in self.hidden and isinstance(one, Number | Choice):
                self._add(one)
        for first in range(0, len(flags), _SWITCHES):
            row = QHBoxLayout()
            for one in flags[first : first + _SWITCHES]:
                switch = self.add_switch(one.label, one.label, one.start, row)
                switch.clicked.connect(lambda on, name=one.id: self.changed.emit({name: on}, False))
                self.controls[one.id] = switch
            self.column.addLayout(row)
        self.after_sliders()

    def before_sliders(self) -> None:
        """More to stand above."""

    def after_sliders(self) -> None:
        """More to stand below."""

    def _add(self, one: Parameter) -> None:
        at = self._grid.count()
        if isinstance(one, Number):
            slider = slider_for(one)
            slider.changed.connect(
                lambda value, dragging: self.changed.emit({one.id: value / one.shown_times}, dragging))
            self._grid.addWidget(slider, at // self.columns, at % self.columns)
            self.controls[one.id] = slider
            return
        box = narrow_box(one.label)
        for value, label in one.options.items():
            box.addItem(tr(label), value)
        box.activated.connect(lambda _: self.changed.emit({one.id: box.currentData()}, False))
        self._grid.addWidget(box, at // self.columns, at % self.columns)
        self.controls[one.id] = box

    def show_layer(self, layer: Layer | None) -> None:
        self.use.setVisible(layer is None)
        for one in self.kind.own:
            control = self.controls.get(one.id)
            if control is None:
                continue
            value = one.start if layer is None else layer.settings.get(one.id, one.start)
            if isinstance(control, SignedSlider):
                control.show_value(float(value) * one.shown_times)
            elif isinstance(one, Number):
                control.set_value(float(value) * one.shown_times, fine=True)
            elif isinstance(one, Flag):
                control.setChecked(bool(value))
            else:
                control.setCurrentIndex(control.findData(value))

    def show_readout(self, readout: object) -> None:
        """What was measured of the layer in hand, beside the window."""


def slider_for(number: Number) -> ValueSlider:
    """A slider whose 0 stands in the middle where the value may be either way."""
    low, high = number.range.low * number.shown_times, number.range.high * number.shown_times
    if low < 0 and low == -high:
        return SignedSlider(number.label, high, unit=number.unit, step=number.step)
    return number_slider(number)


def narrow_box(name: str) -> QComboBox:
    """A choice that never asks for more room than there is; its list is as wide as its words."""
    box = QComboBox()
    box.setAccessibleName(name)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(5)
    return box
