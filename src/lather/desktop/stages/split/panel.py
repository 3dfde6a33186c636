"""The box of Split: a layer for each band, the width of the parting, what stays as it is."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from lather.core.job.model import Layer
from lather.core.phrases import phrase
from lather.desktop.stages.split.spectrum_plot import SpectrumPlot
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.value_slider import ValueSlider


class SplitPanel(StagePanel):
    """`settings_changed(values, dragging)`; `layer_asked(band)`; `protected(bool)`."""

    settings_changed = pyqtSignal(dict, bool)
    layer_asked = pyqtSignal(str)
    protected = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__("Split", parent)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.new = {}
        for band, label, tip in (("tone", "+ tone", "A layer that works on the tone"),
                                 ("texture", "+ texture", "A layer that works on the texture"),
                                 ("blotch", "+ blotch", "A layer on the third band: blotches between tone and pores"),
                                 ("veil", "+ veil", "Edge-keeping smoothing, painted in; starts at 50 %")):
            button = QPushButton(tr(label))
            button.setObjectName("small")
            button.setStyleSheet("padding: 3px 4px;")
            button.setFont(font(SMALL_PT))
            button.setToolTip(tr(tip))
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _, band=band: self.layer_asked.emit(band))
            self.new[band] = button
            row.addWidget(button)
        self.column.addLayout(row)
        self.plot = SpectrumPlot()
        self.column.addWidget(self.plot)
        self.width_px = ValueSlider("Split width", 1, 60, 6, unit="px", step=0.1, logarithmic=True)
        self.width_px.changed.connect(lambda v, d: self.settings_changed.emit({"width_px": v}, d))
        self.column.addWidget(self.width_px)
        self.note = self.add_note()
        switches = QHBoxLayout()
        switches.setSpacing(4)
        self.column.addLayout(switches)
        no_halo = "The low-pass stops at edges: no halo at jaw and lips"
        self.edges = self.add_switch("Keep edges", no_halo, True, switches)
        self.edges.clicked.connect(lambda on: self.settings_changed.emit({"edge_keeping": on}, False))
        self.protect = self.add_switch("Bare skin only", "Lips, eyes, brows, hair and cloth stay as they are", True,
                                       switches)
        self.protect.clicked.connect(self.protected)

    def show_layer(self, layer: Layer | None, proposed_px: float, face_px: float | None, scale) -> None:
        width = float(layer.settings.get("width_px", proposed_px)) if layer is not None else proposed_px
        self.width_px.set_value(width)
        if layer is not None:
            self.edges.setChecked(bool(layer.settings.get("edge_keeping", True)))
            self.protect.setChecked(layer.fence is not None)
        share = phrase(", %1 % of the face", f"{width / face_px * 100:.1f}") if face_px else ""
        self.note.setText(tr("Measured %1 px · now %2 px%3", f"{proposed_px:.1f}", f"{width:.1f}", share))
        self.plot.show_cut(scale, width)
