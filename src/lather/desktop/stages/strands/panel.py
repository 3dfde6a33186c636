"""The box of Strands: which hairs are listed, and where background may be laid over them."""

from PyQt6.QtCore import pyqtSignal

from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.value_slider import ValueSlider


class StrandsPanel(StagePanel):
    """`filtered(sensitivity 0-1, soft share 0-1)`; `ground_shown(bool)`."""

    filtered = pyqtSignal(float, float)
    ground_shown = pyqtSignal(bool)

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
