"""The box of Grain: the photo's own grain, and putting it back."""

from PyQt6.QtCore import pyqtSignal

from lather.core.job.model import Layer
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.value_slider import ValueSlider


class GrainPanel(StagePanel):
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
        self.amount.setToolTip(tr("100 % is the photo's own level"))
        self.amount.changed.connect(lambda v, d: self.changed.emit({"amount": v / 100}, d))
        self.size_px = ValueSlider("Size of a grain", 0.3, 3.0, 0.6, unit="px", step=0.05)
        self.size_px.changed.connect(lambda v, d: self.changed.emit({"size_px": v}, d))
        self.column.addWidget(self.amount)
        self.column.addWidget(self.size_px)

    def show_layer(self, layer: Layer | None, grain) -> None:
        if grain is None:
            self.note.setText(tr("Measuring …"))
        elif not grain.level_percent:
            self.note.setText(tr("This photo has no grain that can be measured."))
        else:
            levels = [level for _, level in grain.level_percent]
            self.note.setText(tr("%1 to %2 % by brightness · %3 px · colour share %4 %", f"{min(levels):.2f}",
                                 f"{max(levels):.2f}", f"{grain.size_px:.2f}", f"{grain.chroma_share * 100:.0f}"))
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
