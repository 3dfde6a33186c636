"""The form of one output: what it is called, how large, on what, in which format."""

from dataclasses import replace

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDoubleSpinBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from lather.core import lengths
from lather.core.errors import RequestError
from lather.core.job import outputs
from lather.core.job.outputs import OutputSpec
from lather.core.lengths import CM_PER
from lather.core.phrases import phrase
from lather.desktop import settings
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.switch import Switch

_FILE = "file"


class OutputForm(QFrame):
    """Pops up beside what it belongs to. `changed(OutputSpec)` at every change, `removed()`."""

    changed = pyqtSignal(object)
    removed = pyqtSignal()

    def __init__(self, spec: OutputSpec, parent: QWidget):
        super().__init__(parent, Qt.WindowType.Popup)
        self.spec = spec
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("form")
        self.setStyleSheet(f"#form {{ background: {theme().panel}; border: 1px solid {theme().line}; }}")
        self.setAccessibleName(phrase("Output %1", spec.name))
        self.name = QLineEdit(spec.name)
        self.name.setAccessibleName("Name of the output")
        self.size = Choices("Size", {"full": "Full size", "px": "Long edge", "cm": "Print"}, spec.size)
        self.edge = self._whole(spec.long_edge_px, outputs.LONG_EDGE_PX, " px", "Long edge")
        self._unit = settings.value("length")
        self.print_width = self._length(spec.width_cm, outputs.SIDE_CM, "Width of the print")
        self.print_height = self._length(spec.height_cm, outputs.SIDE_CM, "Height of the print")
        self.ppi = self._whole(round(spec.ppi), outputs.PPI, " ppi", "Resolution")
        self.distance = self._length(spec.distance_cm, outputs.DISTANCE_CM, "Seen from")
        self.medium = Choices("Seen on", {"screen": "screen", "matte": "matte", "glossy": "glossy"}, spec.medium)
        self.sharpen = Switch("Sharpen for it", spec.sharpen)
        self.format = Choices("Format", {name: name for name in outputs.FORMATS}, spec.format)
        self.bits = Choices("Depth", {"8": "8 bit", "16": "16 bit"}, str(spec.bits))
        self.quality = self._whole(spec.quality, outputs.QUALITY, "", "Quality")
        known = spec.profile if spec.profile in outputs.PROFILES else _FILE
        self.profile = Choices("Profile", {"srgb": "sRGB", "own": "photo’s own", "grey": "grey",
                                           "paper": "matte paper", _FILE: "file …"}, known)
        self.count = self._whole(spec.count, outputs.COUNT, " ×", "How many")
        self.why = QLabel()
        self.why.setStyleSheet(f"color: {theme().over};")
        self.why.setWordWrap(True)
        self.remove = QPushButton(tr("Remove this output"))
        self._arrange()
        self._show_rows()
        self._connect()

    @staticmethod
    def _whole(value: int, held, suffix: str, name: str) -> QSpinBox:
        box = QSpinBox()
        box.setRange(int(held.low), int(held.high))
        box.setSuffix(suffix)
        box.setAccessibleName(name)
        box.setValue(value)
        box.setFixedWidth(100)
        return box

    def _length(self, cm: float, held, name: str) -> QDoubleSpinBox:
        """A length in the person's unit."""
        box = QDoubleSpinBox()
        box.setDecimals(1 if self._unit == "cm" else 2)
        box.setRange(*(one / CM_PER[self._unit] for one in (held.low, held.high)))
        box.setSuffix(f" {self._unit}")
        box.setAccessibleName(name)
        box.setValue(lengths.shown(cm, self._unit))
        box.setFixedWidth(92)
        return box

    def _arrange(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(16, 14, 16, 14)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(8)
        self._print, self._px = QWidget(), QWidget()
        printed = QHBoxLayout(self._print)
        printed.setContentsMargins(0, 0, 0, 0)
        for widget in (self.print_width, QLabel("×"), self.print_height, self.ppi, QLabel(tr("seen from")),
                       self.distance):
            printed.addWidget(widget)
        printed.addStretch(1)
        edge = QHBoxLayout(self._px)
        edge.setContentsMargins(0, 0, 0, 0)
        edge.addWidget(self.edge)
        edge.addStretch(1)
        quality = QLabel(tr("quality"))
        self._quality_label = quality
        lines = (("Name", [self.name, self.count]), ("Size", [self.size]), ("", [self._px, self._print]),
                 ("Seen on", [self.medium, self.sharpen, QLabel(tr("sharpen for it"))]),
                 ("Format", [self.format]), ("", [self.bits, quality, self.quality]), ("Profile", [self.profile]),
                 ("", [self.remove, self.why]))
        for number, (label, widgets) in enumerate(lines):
            word = QLabel(tr(label))
            word.setObjectName("quiet")
            grid.addWidget(word, number, 0)
            line = QHBoxLayout()
            line.setSpacing(8)
            for widget in widgets:
                line.addWidget(widget, 1 if widget in (self.name, self.why) else 0)
            if widgets[0] is not self.name:
                line.addStretch(1)
            grid.addLayout(line, number, 1)
        self.why.hide()

    def _connect(self) -> None:
        for choices in (self.size, self.medium, self.format, self.bits):
            choices.chosen.connect(self._take)
        for box in (self.edge, self.print_width, self.print_height, self.ppi, self.distance, self.quality, self.count):
            box.valueChanged.connect(self._take)
        self.profile.chosen.connect(self._profile_chosen)
        self.sharpen.clicked.connect(self._take)
        self.name.textEdited.connect(self._take)
        self.remove.clicked.connect(lambda: (self.close(), self.removed.emit()))

    def _show_rows(self) -> None:
        self._px.setVisible(self.size.value != "cm")
        self.edge.setEnabled(self.size.value == "px")
        self._print.setVisible(self.size.value == "cm")
        deep, lossy = self.format.value in outputs.DEEP, self.format.value in ("JPEG", "WebP")
        self.bits.set_enabled("16", deep)
        if not deep:
            self.bits.set_value("8")
        self.quality.setEnabled(lossy)
        self._quality_label.setEnabled(lossy)
        self.sharpen.setEnabled(self.format.value != "OpenRaster")
        self.profile.set_enabled("grey", self.format.value not in ("WebP", "OpenRaster"))
        self.adjustSize()

    def _profile_chosen(self, key: str) -> None:
        if key == _FILE:
            path, _ = QFileDialog.getOpenFileName(self, "A colour profile", "", "Colour profiles (*.icc *.icm)")
            if not path:
                known = self.spec.profile if self.spec.profile in outputs.PROFILES else _FILE
                self.profile.set_value(known)
                return
            self.spec = replace(self.spec, profile=path)
        self._take()

    def _cm(self, box: QDoubleSpinBox, held_cm: float) -> float:
        """Of a box; as it was held where it still shows that, so that inches round nothing away."""
        same = box.value() == round(lengths.shown(held_cm, self._unit), box.decimals())
        return held_cm if same else round(box.value() * CM_PER[self._unit], 3)

    def _take(self, *_) -> None:
        if self.profile.value == "grey" and self.format.value in ("WebP", "OpenRaster"):
            self.profile.set_value("srgb")
        self._show_rows()
        profile = self.spec.profile if self.profile.value == _FILE else self.profile.value
        spec = self.spec
        try:
            self.spec = replace(
                spec, name=self.name.text().strip() or "Output", size=self.size.value,
                long_edge_px=self.edge.value(), width_cm=self._cm(self.print_width, spec.width_cm),
                height_cm=self._cm(self.print_height, spec.height_cm), ppi=float(self.ppi.value()),
                distance_cm=self._cm(self.distance, spec.distance_cm), medium=self.medium.value,
                format=self.format.value, bits=int(self.bits.value), quality=self.quality.value(), profile=profile,
                sharpen=self.sharpen.isChecked(), count=self.count.value(),
            )
        except RequestError as error:
            self.why.setText(tr(error.message))
            self.why.show()
            return
        self.why.hide()
        self.changed.emit(self.spec)

    def pop_up(self, beside: QWidget) -> None:
        """Under the widget, moved into the window where it would stick out."""
        self.adjustSize()
        window = beside.window()
        at = beside.mapToGlobal(QPoint(0, beside.height() + 2))
        low = window.mapToGlobal(QPoint(window.width() - self.width() - 6, window.height() - self.height() - 6))
        self.move(min(at.x(), low.x()), min(at.y(), low.y()))
        self.show()
        self.name.setFocus()
