"""What only one stage has: settings of Strands, Split and Grain, shown under the layers."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.job.model import Layer
from lather.core.stages.look import LOOKS
from lather.desktop.panels.choices import Choices
from lather.desktop.panels.spectrum_plot import SpectrumPlot
from lather.desktop.panels.switch import Switch
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT


class _StagePanel(QWidget):
    def __init__(self, title: str, parent=None):
        super().__init__(parent)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        label = QLabel(title)
        label.setFont(font(strong=True))
        self.column.addWidget(label)

    def add_switch(self, text: str, tip: str, on: bool, row: QHBoxLayout | None = None) -> Switch:
        """A switch with its label; `row`: beside others."""
        if row is None:
            row = QHBoxLayout()
            self.column.addLayout(row)
        row.setSpacing(4)
        switch = Switch(text, on)
        switch.setToolTip(tip)
        label = QLabel(text)
        label.setFont(font(SMALL_PT))
        row.addWidget(switch)
        row.addWidget(label)
        row.addStretch(1)
        return switch

    def add_note(self) -> QLabel:
        note = QLabel()
        note.setObjectName("quiet")
        note.setFont(font(SMALL_PT))
        note.setWordWrap(True)
        self.column.addWidget(note)
        return note


class StrandsPanel(_StagePanel):
    """`filtered(sensitivity 0-1, soft share 0-1)`; `ground_shown(bool)`."""

    filtered = pyqtSignal(float, float)
    ground_shown = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__("Which hairs", parent)
        self.sensitivity = ValueSlider("Sensitivity", 0, 100, 50)
        self.sensitivity.setToolTip("Higher: fainter and shorter hairs stand in the list as well")
        self.soft = ValueSlider("Leave the finest", 0, 80, 0)
        self.soft.setToolTip("Share of the finest hairs that stay, for a soft look")
        for slider in (self.sensitivity, self.soft):
            slider.changed.connect(lambda *_: self.filtered.emit(self.sensitivity.value / 100, self.soft.value / 100))
            self.column.addWidget(slider)
        self.ground = self.add_switch("Show safe ground", "Where hairs may be laid over with background", False)
        self.ground.clicked.connect(self.ground_shown)


class SplitPanel(_StagePanel):
    """`settings_changed(values, dragging)`; `look_chosen(key)`; `layer_asked(band)`; `protected(bool)`."""

    settings_changed = pyqtSignal(dict, bool)
    look_chosen = pyqtSignal(str)
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
            button = QPushButton(label)
            button.setObjectName("small")
            button.setStyleSheet("padding: 3px 4px;")
            button.setFont(font(SMALL_PT))
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _, band=band: self.layer_asked.emit(band))
            self.new[band] = button
            row.addWidget(button)
        self.column.addLayout(row)
        self.look = Choices("See", LOOKS, "picture")
        self.look.chosen.connect(self.look_chosen)
        self.column.addWidget(self.look)
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
        share = f", {width / face_px * 100:.1f} % of the face" if face_px else ""
        self.note.setText(f"Measured {proposed_px:.1f} px · now {width:.1f} px{share}")
        self.plot.show_cut(scale, width)


class GrainPanel(_StagePanel):
    """`put_back(bool)`; `missing_shown(bool)`; `changed(values, dragging)`."""

    put_back = pyqtSignal(bool)
    missing_shown = pyqtSignal(bool)
    changed = pyqtSignal(dict, bool)

    def __init__(self, parent=None):
        super().__init__("Grain of this photo", parent)
        self.note = self.add_note()
        self.everywhere = self.add_switch(
            "Put back where it is missing", "Measured against the photo after all earlier stages, and only there", False
        )
        self.everywhere.clicked.connect(self.put_back)
        self.missing = self.add_switch(
            "Show where it went", "Hatches what the earlier stages smoothed: the more of the grain is gone, the denser",
            False,
        )
        self.missing.clicked.connect(self.missing_shown)
        self.amount = ValueSlider("Amount", 0, 200, 100)
        self.amount.setToolTip("100 % is the photo's own level")
        self.amount.changed.connect(lambda v, d: self.changed.emit({"amount": v / 100}, d))
        self.size_px = ValueSlider("Size of a grain", 0.3, 3.0, 0.6, unit="px", step=0.05)
        self.size_px.changed.connect(lambda v, d: self.changed.emit({"size_px": v}, d))
        self.column.addWidget(self.amount)
        self.column.addWidget(self.size_px)

    def show_layer(self, layer: Layer | None, grain) -> None:
        if grain is None:
            self.note.setText("Measuring …")
        elif not grain.level_percent:
            self.note.setText("This photo has no grain that can be measured.")
        else:
            levels = [level for _, level in grain.level_percent]
            self.note.setText(f"{min(levels):.2f} to {max(levels):.2f} % by brightness · {grain.size_px:.2f} px · "
                              f"colour share {grain.chroma_share * 100:.0f} %")
        known = grain is not None and bool(grain.level_percent)
        self.everywhere.setEnabled(known)
        self.missing.setEnabled(known)
        settings = layer.settings if layer is not None else {}
        self.everywhere.setChecked(bool(settings.get("everywhere")))
        for slider in (self.amount, self.size_px):
            slider.setEnabled(layer is not None)
        self.amount.set_value(100 * float(settings.get("amount", 1.0)))
        held = settings.get("grain", {})
        self.size_px.set_value(float(held.get("size_px", grain.size_px if known else 0.6)))
