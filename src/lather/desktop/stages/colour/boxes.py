"""Boxes of Colour that show more than sliders: Match with its pair of areas, Whiten with its ceilings."""

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lather.core.job.limits import Band
from lather.core.job.model import Layer
from lather.core.measure.adjust_readout import MatchSeen, WhiteSeen
from lather.core.phrases import phrase
from lather.core.stages.adjust.zones import SKIN_PARTS
from lather.core.stages.colour.whiten import PARTS
from lather.desktop.stages.adjust.box import AdjustBox, narrow_box
from lather.desktop.stages.adjust.curve_editor import CurveEditor
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.gauge import Gauge

_CROP = QSize(72, 50)
_ALIKE = 2.0  # ΔE that nobody sees between two areas apart from each other
_MOST_DE, _MOST_B = 20.0, 40.0
_BY_HAND = ""


class MatchBox(AdjustBox):
    """asked: "again" (measure anew); changed hears of zones as {"reference" or "target": {"zone": name}}."""

    hidden = ("width_px",)

    def before_sliders(self) -> None:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.crops: dict[str, QLabel] = {}
        for name, label in (("reference", "reference"), ("before", "target, before"), ("after", "target, now")):
            column = QVBoxLayout()
            column.setSpacing(1)
            crop, text = QLabel(), QLabel(tr(label))
            crop.setFixedSize(_CROP)
            crop.setScaledContents(True)
            crop.setAccessibleName(phrase("Crop of the %1", label))
            crop.setObjectName("crop")
            text.setObjectName("quiet")
            text.setFont(font(SMALL_PT))
            column.addWidget(crop)
            column.addWidget(text)
            row.addLayout(column)
            self.crops[name] = crop
        row.addStretch(1)
        self.column.addLayout(row)
        self.difference = Gauge("Difference", high=_MOST_DE)
        self.border = Gauge("At its border", high=_MOST_DE)
        self.column.addWidget(self.difference)
        self.column.addWidget(self.border)
        zones = QGridLayout()
        zones.setHorizontalSpacing(6)
        self.zones: dict[str, QComboBox] = {}
        for column, (name, label) in enumerate((("reference", "From"), ("target", "To"))):
            box = narrow_box(phrase("%1 which part of the skin", label))
            box.addItem(tr("outline"), _BY_HAND)
            for zone, text in SKIN_PARTS.items():
                box.addItem(tr(text), zone)
            box.activated.connect(lambda _, name=name: self._zone_chosen(name))
            quiet = QLabel(tr(label))
            quiet.setObjectName("quiet")
            quiet.setFont(font(SMALL_PT))
            zones.addWidget(quiet, 0, column)
            zones.addWidget(box, 1, column)
            self.zones[name] = box
        self.column.addLayout(zones)

    def after_sliders(self) -> None:
        self.again = QPushButton(tr("Measure again"))
        self.again.setToolTip(tr("Measure both areas anew on the picture as it lies beneath now"))
        self.again.clicked.connect(lambda: self.asked.emit("again"))
        self.column.addWidget(self.again)
        self.note = self.add_note()

    def _zone_chosen(self, name: str) -> None:
        zone = self.zones[name].currentData()
        if zone:
            self.changed.emit({name: {"zone": zone}}, False)

    def show_layer(self, layer: Layer | None) -> None:
        super().show_layer(layer)
        settings = {} if layer is None else layer.settings
        for name, box in self.zones.items():
            zone = (settings.get(name) or {}).get("zone", _BY_HAND)
            box.setCurrentIndex(max(0, box.findData(zone)))
        both = "measured_from" in settings and "measured_to" in settings
        self.again.setEnabled(both)
        if not both:
            self.note.setText(tr("Outline skin you trust with Reference, then the skin to match with Target; or choose "
                                 "parts of the skin above."))
            for crop in self.crops.values():
                crop.clear()
            for gauge in (self.difference, self.border):
                gauge.show_value(0, "–", Band(0, _ALIKE, "both areas are needed"))
        else:
            self.note.setText(tr("" if settings.get("light", True) else
                                 "Light and form stay as they are; the switch carries lightness over as well."))
        self.note.setVisible(bool(self.note.text()))

    def show_readout(self, readout: object) -> None:
        if not isinstance(readout, MatchSeen):
            return
        self.difference.show_value(readout.now, phrase("ΔE %1 → %2", f"{readout.before:.1f}", f"{readout.now:.1f}"),
                                   Band(0, _ALIKE, "below that nobody sees a difference between two areas"))
        if readout.border is not None:
            self.border.show_value(readout.border[1], phrase("ΔE %1 → %2", *(f"{one:.1f}" for one in readout.border)),
                                   Band(0, max(_ALIKE, readout.border[0] + _ALIKE / 2),
                                        "no more than the photo has there by itself"))
        for name, pixels in readout.crops.items():
            self.crops[name].setPixmap(_pixmap(pixels))


class WhitenBox(AdjustBox):
    """changed hears of {"part": …}: another part wants its own layer."""

    def after_sliders(self) -> None:
        self.light = Gauge("L*", high=100)
        self.yellow = Gauge("b*", high=_MOST_B)
        self.column.addWidget(self.light)
        self.column.addWidget(self.yellow)
        self.note = self.add_note()

    def show_readout(self, readout: object) -> None:
        if not isinstance(readout, WhiteSeen):
            return
        part = PARTS[readout.part]
        self.light.name, self.yellow.name = f"{part} L*", f"{part} b*"
        why = phrase("at most L* %1: whiter looks false", f"{readout.most_light:.0f}")
        self.light.show_value(readout.now[0], f"{readout.before[0]:.0f} → {readout.now[0]:.0f}",
                              Band(0, readout.most_light, why))
        why = phrase("at least b* %1: it looks false without", f"{readout.least_yellow:.0f}")
        self.yellow.show_value(max(0.0, readout.now[2]), f"{readout.before[2]:.0f} → {readout.now[2]:.0f}",
                               Band(readout.least_yellow, _MOST_B, why))
        self.note.setText(tr(readout.note))
        self.note.setVisible(bool(readout.note))


class ShineBox(AdjustBox):
    hidden = ("texture",)  # it is measured


class CurveBox(AdjustBox):
    """A curve, with the histogram of what lies beneath."""

    columns = 2

    def before_sliders(self) -> None:
        self.curve = CurveEditor()
        self.curve.changed.connect(lambda points, dragging: self.changed.emit(
            {"curve": [list(point) for point in points]}, dragging))
        self.column.addWidget(self.curve)

    def show_layer(self, layer: Layer | None) -> None:
        super().show_layer(layer)
        self.curve.show_curve((((0, 0), (1, 1)) if layer is None else layer.settings.get("curve")) or ((0, 0), (1, 1)))

    def show_readout(self, readout: object) -> None:
        if isinstance(readout, np.ndarray):
            self.curve.show_histogram(readout)


def _pixmap(pixels: np.ndarray) -> QPixmap:
    """Of sRGB 0-1 (h, w, 3)."""
    codes = np.ascontiguousarray(np.round(255 * np.clip(pixels, 0, 1)).astype(np.uint8))
    height, width = codes.shape[:2]
    image = QImage(codes.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
    return QPixmap.fromImage(image).scaled(2 * _CROP, Qt.AspectRatioMode.KeepAspectRatioByExpanding,
                                           Qt.TransformationMode.SmoothTransformation)
