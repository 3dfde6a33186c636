"""Every layer of the retouch with its switch and strength: what is too much is turned down here."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.core.job.model import Job
from lather.core.phrases import joined, phrase
from lather.core.tools.registry import TOOLS
from lather.desktop.texts import tr
from lather.desktop.widgets.frames import scrolled
from lather.desktop.widgets.switch import Switch
from lather.desktop.widgets.value_slider import ValueSlider


class LayersPanel(QWidget):
    """`changed(stage, layer, field, value, dragging)`."""

    changed = pyqtSignal(str, str, str, object, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.sliders: dict[str, ValueSlider] = {}
        self.switches: dict[str, Switch] = {}
        self._names: list | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.facts = QLabel()
        self.facts.setObjectName("quiet")
        self.facts.setWordWrap(True)
        rows = QWidget()
        self._rows = QVBoxLayout(rows)
        self._rows.setContentsMargins(0, 0, 4, 0)
        self._rows.setSpacing(4)
        self._rows.addStretch(1)
        column.addWidget(scrolled(rows, "Layers"), 1)
        column.addWidget(self.facts)

    def show_job(self, job: Job) -> None:
        counts: dict[str, int] = {}
        for edit in job.edits():
            counts[edit.tool] = counts.get(edit.tool, 0) + 1
        total = sum(counts.values())
        by_tool = joined((joined([str(n), TOOLS[tool].label]) for tool, n in counts.items()), ", ")
        self.facts.setText(tr(phrase("%1 edits: %2.", total, by_tool) if total else
                              "Nothing yet: both sides show the same picture."))
        layers = [(stage.id, layer) for stage in job.stages for layer in stage.layers]
        names = [(x.id, x.name) for _, x in layers]
        if names != self._names:
            self._names = names
            while self._rows.count() > 1:
                widget = self._rows.takeAt(0).widget()
                widget.hide()
                widget.deleteLater()
            self.sliders, self.switches = {}, {}
            for stage_id, layer in reversed(layers):
                self._add_row(stage_id, layer.id, layer.shown_name)
        for _, layer in layers:
            self.sliders[layer.id].set_value(layer.strength * 100)
            self.switches[layer.id].setChecked(layer.on)

    def _add_row(self, stage_id: str, layer_id: str, name: str) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        switch = Switch(phrase("%1 on", name))
        switch.clicked.connect(lambda on: self.changed.emit(stage_id, layer_id, "on", on, False))
        slider = ValueSlider(name, 0, 100, 100)
        slider.changed.connect(lambda v, _: self.changed.emit(stage_id, layer_id, "strength", v / 100, True))
        row.addWidget(switch)
        row.addWidget(slider, 1)
        self.sliders[layer_id], self.switches[layer_id] = slider, switch
        self._rows.insertWidget(self._rows.count() - 1, holder)
