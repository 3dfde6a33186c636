"""Split on the desk: layers by band, one parting for all of them, and Area drawn as an outline."""

from PyQt6.QtGui import QPainter

from lather.core.job.commands import SetLayer, Together
from lather.core.stages.split.bands import BAND_LABELS
from lather.core.stages.split.kind import VEIL_STRENGTH
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.split.area import AreaControl
from lather.desktop.stages.split.panel import SplitPanel


class SplitPart(StagePart):
    empty = ("Nothing on this layer yet.\n\nOn a tone layer outline uneven skin with Area, or brush it with Mix. On a "
             "texture layer take pores from elsewhere.")
    hint = "Outline uneven skin with Area: its tone is evened, pores stay. The lamps show texture or tone alone."

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.panel = SplitPanel()
        self._protect = True
        self.panel.settings_changed.connect(self._settings)
        self.panel.layer_asked.connect(self._new_band)
        self.panel.protected.connect(self._set_protected)
        strokes = desk.strokes
        self.area = AreaControl(self.canvas, self.job, strokes.state, strokes.worker, strokes.spared, self)
        self.area.message.connect(self.message)

    def show_job(self) -> None:
        face, measured = self.job.job.face_map, self.desk.measured
        width = face.width_px if face is not None else None
        self.panel.show_layer(self.job.layer, measured.split_px, width, measured.texture)

    def new_layer_settings(self) -> dict:
        return self._band_settings("tone")

    def new_layer_fence(self) -> object:
        return self.desk.measured.fence if self._protect else None

    def _band_settings(self, band: str) -> dict:
        layer = self.job.layer if self.in_hand else None
        held = layer.settings if layer is not None else {}
        return {
            "band": band, "width_px": float(held.get("width_px", self.desk.measured.split_px)),
            "edge_keeping": bool(held.get("edge_keeping", True)),
        }

    def _new_band(self, band: str) -> None:
        names = {layer.name for layer in self.job.stage.layers}
        name, number = BAND_LABELS[band], 2
        while name in names:
            name, number = f"{BAND_LABELS[band]} {number}", number + 1
        self.job.add_layer(name, self._band_settings(band), VEIL_STRENGTH if band == "veil" else 1.0)

    def _settings(self, values: dict, dragging: bool) -> None:
        """The width and the low-pass belong to all layers of the stage: they are bands of one parting."""
        layers = self.job.stage.layers
        if not layers:
            self.job.add_layer(settings=self._band_settings("tone") | values)
            return
        commands = tuple(SetLayer("split", layer.id, "settings", values) for layer in layers)
        one = len(commands) == 1
        self.job.do(commands[0] if one else Together("split settings", commands), merge=one and dragging)

    def _set_protected(self, on: bool) -> None:
        self._protect = on
        if on and self.desk.measured.fence is None:
            self.desk.measured.ask()
        layer = self.job.layer
        if layer is not None:
            self.job.do(SetLayer("split", layer.id, "fence", self.desk.measured.fence if on else None))

    # Area

    def pen_event(self, event: PenEvent) -> bool:
        return self.area.pen_event(event)

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self.area.active:
            self.area.draw(painter, canvas)

    def takes_pointer(self) -> bool:
        return self.area.active

    def again(self) -> bool:
        return self.area.again()
