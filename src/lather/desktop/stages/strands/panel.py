"""The box of Strands: which hairs are listed, where background may be laid over them, and how much down there is."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton

from lather.core.job.finds import Find
from lather.core.phrases import Phrase, joined, phrase
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.value_slider import ValueSlider


class StrandsPanel(StagePanel):
    """`filtered(sensitivity 0-1, soft share 0-1)`; `ground_shown(bool)`; `down_asked()`."""

    filtered = pyqtSignal(float, float)
    ground_shown = pyqtSignal(bool)
    down_asked = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__("Which hairs", parent)
        self.sensitivity = ValueSlider("Sensitivity", 0, 100, 50)
        self.sensitivity.setToolTip(tr("Higher: fainter and shorter hairs stand in the list as well"))
        self.soft = ValueSlider("Leave the finest", 0, 80, 0)
        self.soft.setToolTip(tr("Share of the finest hairs that stay, for a soft look"))
        for slider in (self.sensitivity, self.soft):
            slider.changed.connect(lambda *_: self.filtered.emit(self.sensitivity.value / 100, self.soft.value / 100))
            self.column.addWidget(slider)
        self.ground = self.add_switch("Show safe ground", "Where hairs may be laid over with background", False)
        self.ground.clicked.connect(self.ground_shown)
        self.down = QPushButton(tr("Down …"))
        self.down.setToolTip(tr("Fine hair as a field: how much of it is left, by zone or painted"))
        self.down.clicked.connect(self.down_asked)
        self.column.addWidget(self.down)
        self.down_says = self.add_note()
        self.down_says.hide()

    def show_down(self, finds: Sequence[Find]) -> None:
        """What was found of down, zone by zone."""
        text = down_text(finds)
        self.down_says.setText(tr(text))
        self.down_says.setVisible(bool(text))


def down_text(finds: Sequence[Find]) -> Phrase | str:
    """`hair is 34 % of the texture on the cheeks, 21 % on the chin`, the most hairy zone first; "" without down."""
    told = [find for find in finds if find.kind == "down" and "down" in find.extra]
    zones = [phrase("%1 %2 %", find.zone, f"{find.extra['down'].get('percent', 0):.0f}") for find in told]
    return phrase("Hair in the texture: %1", joined(zones, ", ")) if zones else ""
