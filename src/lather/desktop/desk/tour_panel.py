"""The box of the tour and the pin, under the lamps."""

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lather.core.phrases import phrase
from lather.desktop.controls.viewing.pin import PinControl
from lather.desktop.controls.viewing.tour import TourControl
from lather.desktop.texts import tr
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.panel_head import panel_head


class TourPanel(QWidget):
    def __init__(self, tour: TourControl, pin: PinControl, parent=None):
        super().__init__(parent)
        self._tour, self._pin = tour, pin
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        head, self.count = panel_head("Tour", small=True)
        column.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.next = QPushButton()
        self.next.setObjectName("toggle")
        self.next.setToolTip(tr("To the next part of the person that was not looked at; the lamp in hand stays"))
        self.next.clicked.connect(tour.go_on)
        self.pin = QPushButton(tr("Pin skin"))
        self.pin.setObjectName("toggle")
        self.pin.setCheckable(True)
        self.pin.setToolTip(tr("Keep a patch of untouched skin beside the pointer, to compare with"))
        self.pin.clicked.connect(pin.toggle)
        row.addWidget(self.next, 1)
        row.addWidget(self.pin)
        column.addLayout(row)
        self.zoom = Choices("Zoom of the tour", {"zone": "Whole zone", "1.0": "100 %", "2.0": "200 %"}, "zone")
        self.zoom.setToolTip(tr("How large each part is shown"))
        self.zoom.chosen.connect(tour.set_zoom)
        column.addWidget(self.zoom)
        tour.changed.connect(self.refresh)
        pin.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        stops, seen = self._tour.stops, self._tour.seen
        stop = self._tour.next_stop()
        count = sum(one.id in seen for one in stops)
        self.count.setText(tr("%1 of %2 seen", count, len(stops)))
        self.next.setText(tr(phrase("Next: %1", stop.label) if stop is not None else "Begin again"))
        self.next.setEnabled(bool(stops))
        self.pin.setChecked(self._pin.choosing or self._pin.place is not None)
        self.pin.setText(tr("Unpin" if self._pin.place is not None else "Pin skin"))
