"""A stage without a box of its own: one is made from the parameters of its layer kind."""

from PyQt6.QtWidgets import QComboBox

from lather.core.job.commands import SetLayer
from lather.core.parameters import EVERYWHERE, Choice, Flag, Number, starting
from lather.core.phrases import phrase
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.value_slider import number_slider


class PlainPart(StagePart):
    """Sliders, switches and choices for the layer in hand."""

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.controls: dict[str, object] = {}
        parameters = [one for one in info.kind.parameters if isinstance(one, Number | Choice | Flag)]
        if parameters:
            self.panel = StagePanel(info.label)
            for one in parameters:
                self._add(one)
        self.hint = phrase("Paint where %1 is to act; each layer has its own strength.", info.label)

    def _add(self, one) -> None:
        if isinstance(one, Number):
            slider = number_slider(one)
            slider.changed.connect(lambda value, dragging: self._set(one.id, value / one.shown_times, dragging))
            self.panel.column.addWidget(slider)
            self.controls[one.id] = slider
        elif isinstance(one, Flag):
            switch = self.panel.add_switch(one.label, one.label, one.start)
            switch.clicked.connect(lambda on: self._set(one.id, on))
            self.controls[one.id] = switch
        else:
            box = QComboBox()
            box.setAccessibleName(one.label)
            for value, label in one.options.items():
                box.addItem(tr(label), value)
            box.activated.connect(lambda _: self._set(one.id, box.currentData()))
            self.panel.column.addWidget(box)
            self.controls[one.id] = box

    def _set(self, name: str, value: object, dragging: bool = False) -> None:
        layer = self.job.ensure_layer()
        self.job.do(SetLayer(self.info.id, layer.id, "settings", {name: value}), merge=dragging)

    def new_layer_settings(self) -> dict:
        return {name: value for name, value in starting(self.info.kind.parameters).items() if name != EVERYWHERE.id}

    def show_job(self) -> None:
        layer = self.job.layer
        held = starting(self.info.kind.parameters) | (layer.settings if layer is not None else {})
        for one in self.info.kind.parameters:
            control = self.controls.get(one.id)
            if isinstance(one, Number):
                control.set_value(held[one.id] * one.shown_times, fine=True)
            elif isinstance(one, Flag):
                control.setChecked(bool(held[one.id]))
            elif isinstance(one, Choice):
                control.setCurrentIndex(control.findData(held[one.id]))
