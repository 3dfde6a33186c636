"""The mask of the layer in hand, in the brush strip: where it starts, turned round, shown."""

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from lather.core.job.model import Layer
from lather.core.phrases import joined, phrase
from lather.core.stages.adjust.mask import FEATHER
from lather.core.stages.adjust.zones import ZONES, zone_label
from lather.desktop.input.keys import keyed
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.value_slider import ValueSlider

EVERYWHERE, BY_ZONE, PAINTED = "everywhere", "zones", "painted"


class MaskStrip(QWidget):
    """`how_chosen(everywhere / zones / painted)`; `zone_switched(zone, on)`; `feathered(px, dragging)`; `turned()`;
    `shown(bool)`.
    """

    how_chosen = pyqtSignal(str)
    zone_switched = pyqtSignal(str, bool)
    feathered = pyqtSignal(float, bool)
    turned = pyqtSignal()
    shown = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(4, 4, 4, 4)
        rows.setSpacing(3)
        self.title = QLabel(tr("Mask"))
        self.title.setObjectName("quiet")
        self.title.setFont(font(SMALL_PT))
        self.title.setTextFormat(Qt.TextFormat.PlainText)
        rows.addWidget(self.title)
        row = QHBoxLayout()
        row.setSpacing(5)
        self.how = Choices("Mask", {EVERYWHERE: "Everywhere", BY_ZONE: "Zones", PAINTED: "Painted"}, PAINTED)
        self.how.setToolTip(tr("Where the layer acts before you paint; Paint and Take away work on top of each"))
        self.how.chosen.connect(self._chosen)
        row.addWidget(self.how)
        self.turn = self._button("Turn round", keyed("Turn the mask round: the layer acts where it did not "
                                                     "({turn_mask})"), True)
        self.turn.clicked.connect(self.turned)
        self.show_mask = self._button("Show", keyed("Show the mask as a moving hatch ({show_mask})"), True)
        self.show_mask.clicked.connect(self.shown)
        row.addWidget(self.turn)
        row.addWidget(self.show_mask)
        rows.addLayout(row)
        self.menu = QMenu(self)
        self.menu.setAccessibleName("Zones")
        for zone, label in ZONES.items():
            action = self.menu.addAction(tr(label))
            action.setCheckable(True)
            action.triggered.connect(lambda on, zone=zone: self.zone_switched.emit(zone, on))
            action.setData(zone)
        self.feather = ValueSlider(FEATHER.label, 0, 200, 0, unit="px")
        self.feather.setToolTip(tr("How far the rim of the zones fades"))
        self.feather.changed.connect(self.feathered)
        self.feather.setMaximumWidth(112)
        row.addWidget(self.feather)

    def _button(self, text: str, tip: str, checkable: bool) -> QPushButton:
        button = QPushButton(tr(text))
        button.setToolTip(tr(tip))
        button.setAccessibleName(tip)
        button.setCheckable(checkable)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.setFixedHeight(28)
        button.setObjectName("toggle")
        return button

    def _chosen(self, how: str) -> None:
        self.how_chosen.emit(how)
        if how == BY_ZONE:
            self.open_zones()

    def open_zones(self) -> None:
        """The menu of zones, above its button."""
        at = self.how.button(BY_ZONE)
        self.menu.popup(at.mapToGlobal(QPoint(0, -self.menu.sizeHint().height())))

    def show_layer(self, layer: Layer | None, name: str) -> None:
        """What the mask of a layer is; name: of the adjustment."""
        settings = {} if layer is None else layer.settings
        zones = list(settings.get("zones") or ())
        how = EVERYWHERE if settings.get("everywhere") else BY_ZONE if zones else PAINTED
        self.how.set_value(how)
        for action in self.menu.actions():
            action.setChecked(action.data() in zones)
        self.turn.setChecked(bool(settings.get("turned")))
        self.feather.setVisible(how == BY_ZONE)
        self.feather.set_value(float(settings.get(FEATHER.id, 0.0)))
        says = joined((zone_label(zone).lower() for zone in zones), ", ") if how == BY_ZONE else {
            EVERYWHERE: "the whole picture", PAINTED: "only what is painted"}[how]
        strokes = 0 if layer is None else len(layer.edits)
        painted = phrase(", %n strokes", n=strokes, one=", %n stroke") if strokes else ""
        self.title.setText(tr("Mask of %1: %2%3%4", name, says, painted,
                              ", turned round" * bool(settings.get("turned"))))
        self.title.setToolTip(tr(self.title.text()))
        self.turn.setEnabled(layer is not None)

