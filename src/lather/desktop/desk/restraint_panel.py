"""Restraint: what makes a retouch look false, measured against the limits of this kind of job."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lather.core.gauges.registry import GAUGES, OF_STAGE, ON_DESK
from lather.core.job.limits import USUAL_KIND, Band, band
from lather.core.phrases import joined, phrase
from lather.desktop.texts import tr
from lather.desktop.widgets.gauge import Gauge
from lather.desktop.widgets.panel_head import panel_head

_MOST_SOFTENED = 4


class RestraintPanel(QWidget):
    """What the stage in hand may harm, against the photo's; keepers intact; what is left of each softened find."""

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        head, self.kind = panel_head("Restraint")
        column.addLayout(head)
        names = dict.fromkeys((*ON_DESK, *(name for names in OF_STAGE.values() for name in names)))
        self.wide = {name: Gauge(GAUGES[name].label, high=GAUGES[name].track) for name in names}
        for gauge in self.wide.values():
            column.addWidget(gauge)
        self.keepers = Gauge("Keepers intact")
        column.addWidget(self.keepers)
        self._left = QVBoxLayout()
        column.addLayout(self._left)
        self.left: dict[str, Gauge] = {}
        self.show_values({}, None)

    def show_values(self, values: dict, job_kind: str | None) -> None:
        """values: {"keepers": (intact, all), "left": [(Find, share 0-1), …]}, or {} before anything is known."""
        self.kind.setText(tr(job_kind or USUAL_KIND))
        for name, gauge in self.wide.items():
            value = values.get(name)
            gauge.setVisible(value is not None)
            if value is not None:
                gauge.show_value(value, GAUGES[name].written.format(value), band(job_kind, name))
        intact, count = values.get("keepers", (0, 0))
        everything = Band(1.0, 1.0, "marks that belong to the person stay as they are")
        if count:
            self.keepers.show_value(intact / count, phrase("%1 of %2", intact, count), everything)
        self.keepers.setVisible(bool(count))
        left = values.get("left", [])[:_MOST_SOFTENED]
        wanted = {find.id for find, _ in left}
        for find_id in [k for k in self.left if k not in wanted]:
            gauge = self.left.pop(find_id)
            self._left.removeWidget(gauge)
            gauge.hide()
            gauge.deleteLater()
        for find, share in left:
            if find.id not in self.left:
                self.left[find.id] = Gauge(joined([find.label, find.zone], " · "), high=1.2)
                self._left.addWidget(self.left[find.id])
            limits = band(job_kind, f"{find.kind}_left")
            self.left[find.id].show_value(share, phrase("%1 % left", f"{share * 100:.0f}"), limits)
