"""The box of Sculpt: how strictly light and shade follow the form, and how much of what is allowed is used."""

from PyQt6.QtCore import pyqtSignal

from lather.core.job.limits import band
from lather.core.job.model import Layer
from lather.core.phrases import phrase
from lather.core.stages.sculpt.kind import FOLLOWING
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.widgets.gauge import Gauge
from lather.desktop.widgets.value_slider import number_slider

_TRACK_STOPS = 0.6


class SculptPanel(StagePanel):
    """`following_changed(share, dragging)`; `both_eyes_chosen(bool)`."""

    following_changed = pyqtSignal(float, bool)
    both_eyes_chosen = pyqtSignal(bool)

    def __init__(self, parent=None):
        super().__init__("Form", parent)
        self.following = number_slider(FOLLOWING)
        self.following.setToolTip(tr("100 %: only where the light that is there calls for it. 0 %: as painted"))
        self.following.changed.connect(lambda value, dragging: self.following_changed.emit(value / 100, dragging))
        self.column.addWidget(self.following)
        self.most = {"sculpt_light": Gauge("Most light", high=_TRACK_STOPS),
                     "sculpt_shade": Gauge("Most shade", high=_TRACK_STOPS)}
        for gauge in self.most.values():
            self.column.addWidget(gauge)
        self.both_eyes = self.add_switch("Both eyes get the same stops", "What the two differ by stays as it is", True)
        self.both_eyes.clicked.connect(self.both_eyes_chosen)

    def show_layer(self, layer: Layer | None) -> None:
        share = FOLLOWING.start if layer is None else layer.settings.get(FOLLOWING.id, FOLLOWING.start)
        self.following.set_value(100 * share, fine=True)

    def show_stops(self, light: float, shade: float, job_kind: str | None) -> None:
        """What the stage lays down at most, in stops; both positive."""
        for (name, gauge), value, sign in zip(self.most.items(), (light, shade), ("+", "−")):
            limits = band(job_kind, name)
            held = " · held" if limits.high - value < 0.005 and value > 0 else phrase(" of %1", f"{limits.high:.2f}")
            gauge.show_value(value, f"{sign}{value:.2f}{held}", limits)
