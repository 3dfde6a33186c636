"""Strands on the desk: which hairs are listed, safe ground shown as a hatch, and Down with its mask."""

from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from lather.core.job.model import Job
from lather.core.stages.strands.down import DownKind
from lather.core.stages.strands.kind import StrandsKind
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.adjust.part import AdjustPart
from lather.desktop.stages.strands.down_box import DownBox
from lather.desktop.stages.strands.panel import StrandsPanel


class StrandsPart(AdjustPart):
    """Layers of hairs are cleared one by one; a layer of Down is an adjustment like those of other stages."""

    empty = ("No hairs cleared by hand yet.\n\nPaint along a hair: the path is laid on it, and the ground from both "
             "its sides closes over it.")
    hint = ("{next_find} steps through the hairs, {mend_find} clears one; or clear all listed. Paint along a hair to "
            "clear it yourself.")
    boxes = {DownKind.id: DownBox}

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self._ground_shown = False
        self._ground: QImage | None = None
        desk.measured.ready.connect(self._measured)

    def _make_panels(self) -> None:
        super()._make_panels()
        self.choice_panel = None  # one adjustment needs no list
        self.hairs = StrandsPanel()
        self.hairs.filtered.connect(self._filter)
        self.hairs.ground_shown.connect(self._show_ground)
        self.hairs.down_asked.connect(lambda: self.show_kind(DownKind.id))
        self.panel.addWidget(self.hairs)

    # hairs, or down

    @property
    def _of_down(self) -> bool:
        """A layer of Down is in hand, or is about to be made."""
        return self.layer is not None or bool(self._proposed)

    def new_layer_kind(self) -> str:
        return DownKind.id if self._proposed else StrandsKind.id

    def new_layer_name(self) -> str:
        return super().new_layer_name() if self._proposed else self.info.first_layer_name

    def new_layer_settings(self) -> dict:
        return super().new_layer_settings() if self._proposed else {}

    def chosen(self) -> None:
        """Zones are looked for when down is."""

    def show_job(self) -> None:
        self.hairs.show_down(self.job.job.finds or ())
        if self._of_down:
            super().show_job()
            return
        self._shown_kind = ""
        self.panel.setCurrentWidget(self.hairs)
        self._fit_panel()
        self.hatch.show_layer(self.job.job, self.info.id, None)

    def strip_now(self) -> QWidget | None:
        return self.strip if self._of_down else None

    def set_low(self, low: bool) -> None:
        """Nothing stands above its lists."""

    def said(self, job: Job) -> str:
        return super().said(job) if self._of_down else self.hint

    def empty_text(self) -> str:
        return super().empty_text() if self._of_down else self.empty

    def act(self, action: str) -> bool:
        return self._of_down and super().act(action)

    # the hairs

    def _measured(self) -> None:
        self._ground = None
        self.canvas.update()

    def _filter(self, sensitivity: float, soft_share: float) -> None:
        self.desk.found.set_filter(sensitivity=sensitivity, soft_share=soft_share)
        self.canvas.update()

    def _show_ground(self, on: bool) -> None:
        self._ground_shown = on
        if on and self.desk.measured.measures is None:
            self.message.emit("Measuring the background; it is shown as soon as it is known.")
            self.desk.measured.ask()
        self.canvas.update()

    def pen_event(self, event: PenEvent) -> bool:
        return self._of_down and super().pen_event(event)

    def takes_pointer(self) -> bool:
        return self._of_down and super().takes_pointer()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self._of_down:
            super().draw(painter, canvas)
        measures = self.desk.measured.measures
        if self._ground_shown and measures is not None:
            if self._ground is None:
                self._ground = hatched(measures.ground)
            draw_hatch(painter, canvas, self._ground)
