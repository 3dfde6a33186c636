"""What Strands, Split and Grain have of their own: panels turned into commands, and what lies over the photo."""

import cv2
import numpy as np
from PyQt6.QtCore import QObject, QRectF, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from lather.core.job.commands import SetLayer, Together
from lather.core.job.model import Layer
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.put_back import match_grain
from lather.core.stages.split.kind import VEIL_STRENGTH
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.stage_panels import GrainPanel, SplitPanel, StrandsPanel
from lather.desktop.screens.finds_control import FindsControl
from lather.desktop.screens.measured import Measured
from lather.desktop.theme.tokens import theme

_BAND_NAMES = {"tone": "Tone", "texture": "Texture", "blotch": "Blotches", "veil": "Veil"}
_HATCH_PX = 7


class StageControl(QObject):
    """`message(text)` for the person."""

    message = pyqtSignal(str)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, found: FindsControl, measured: Measured, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.found, self.measured = canvas, job, found, measured
        self.strands, self.split, self.grain = StrandsPanel(), SplitPanel(), GrainPanel()
        self.panels = {"strands": self.strands, "split": self.split, "grain": self.grain}
        self._ground_shown = False
        self._ground: QImage | None = None
        self._protect = True
        self.strands.filtered.connect(self._filter)
        self.strands.ground_shown.connect(self._show_ground)
        self.split.settings_changed.connect(self._split_settings)
        self.split.look_chosen.connect(self._look)
        self.split.layer_asked.connect(self._new_band)
        self.split.protected.connect(self._set_protected)
        self.grain.put_back.connect(self._put_back)
        self.grain.changed.connect(self._grain_settings)
        measured.ready.connect(self._measured)
        job.stage_changed.connect(lambda: self._look("picture"))
        job.new_layer_settings |= {"split": lambda: self._band_settings("tone"), "grain": self._hand_grain}
        job.new_layer_fence = lambda stage_id: self.measured.fence if stage_id == "split" and self._protect else None

    def show_job(self) -> None:
        """Show the panel of the stage in hand, with the values of its layer."""
        stage_id, layer = self.job.stage_id, self.job.layer
        for key, widget in self.panels.items():
            widget.setVisible(key == stage_id)
        if stage_id == "split":
            face = self.job.job.face_map
            width = face.width_px if face is not None else None
            self.split.show_layer(layer, self.measured.split_px, width, self.measured.texture)
            if self.split.look.value != "picture":
                self._look(self.split.look.value)
        elif stage_id == "grain":
            self.grain.show_layer(layer, self.measured.grain)

    def _measured(self) -> None:
        self._ground = None
        self.canvas.update()

    # Strands

    def _filter(self, sensitivity: float, soft_share: float) -> None:
        self.found.set_filter(sensitivity=sensitivity, soft_share=soft_share)
        self.canvas.update()

    def _show_ground(self, on: bool) -> None:
        self._ground_shown = on
        if on and self.measured.measures is None:
            self.message.emit("Measuring the background; it is shown as soon as it is known.")
            self.measured.ask()
        self.canvas.update()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        """Safe ground as a hatch in the accent colour."""
        if not self._ground_shown or self.job.stage_id != "strands" or self.measured.measures is None:
            return
        if self._ground is None:
            self._ground = _hatched(self.measured.measures.ground)
        x0, y0 = canvas.view.to_screen(0, 0)
        x1, y1 = canvas.view.to_screen(canvas.picture.x1, canvas.picture.y1)
        painter.drawImage(QRectF(x0, y0, x1 - x0, y1 - y0), self._ground)

    # Split

    def _band_settings(self, band: str) -> dict:
        layer = self.job.layer if self.job.stage_id == "split" else None
        held = layer.settings if layer is not None else {}
        return {
            "band": band, "width_px": float(held.get("width_px", self.measured.split_px)),
            "edge_keeping": bool(held.get("edge_keeping", True)),
        }

    def _new_band(self, band: str) -> None:
        names = {layer.name for layer in self.job.stage.layers}
        name, number = _BAND_NAMES[band], 2
        while name in names:
            name, number = f"{_BAND_NAMES[band]} {number}", number + 1
        self.job.add_layer(name, self._band_settings(band), VEIL_STRENGTH if band == "veil" else 1.0)

    def _split_settings(self, values: dict, dragging: bool) -> None:
        """The width and the low-pass belong to all layers of the stage: they are bands of one parting."""
        layers = self.job.stage.layers
        if not layers:
            self.job.add_layer(settings=self._band_settings("tone") | values)
            return
        commands = tuple(SetLayer("split", layer.id, "settings", values) for layer in layers)
        one = len(commands) == 1
        self.job.do(commands[0] if one else Together("split settings", commands), merge=one and dragging)

    def _look(self, look: str) -> None:
        self.split.look.set_value(look)
        layer = self.job.layer
        settings = self._band_settings("tone") if layer is None or look != "picture" else {}
        self.canvas.set_look(look, settings if look != "picture" else None)

    def _set_protected(self, on: bool) -> None:
        self._protect = on
        if on and self.measured.fence is None:
            self.measured.ask()
        layer = self.job.layer
        if layer is not None:
            self.job.do(SetLayer("split", layer.id, "fence", self.measured.fence if on else None))

    # Grain

    def _hand_grain(self) -> dict:
        return {} if self.measured.grain is None else grain_settings(self.measured.grain, everywhere=False)

    def _put_back(self, on: bool) -> None:
        grain = self.measured.grain
        layer = next((x for x in self.job.stage.layers if x.settings.get("everywhere")), None)
        if not on and layer is not None:
            self.job.do(SetLayer("grain", layer.id, "settings", {"everywhere": False}))
        elif on and grain is not None:
            command = match_grain(self.job.job, grain)
            if command is not None:
                self.job.do(command)
        self.show_job()

    def _grain_settings(self, values: dict, dragging: bool) -> None:
        layer: Layer | None = self.job.layer
        if layer is None:
            return
        if "size_px" in values:
            values = {"grain": layer.settings.get("grain", {}) | {"size_px": values["size_px"]}}
        self.job.do(SetLayer("grain", layer.id, "settings", values), merge=dragging)


def _hatched(ground: np.ndarray) -> QImage:
    """Diagonal lines in the accent colour where the mask is set; premultiplied ARGB."""
    mask = cv2.resize(ground, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
    ys, xs = np.mgrid[: mask.shape[0], : mask.shape[1]]
    line = ((xs + ys) % (2 * _HATCH_PX) < 3) & (mask > 0)
    colour = theme().accent.lstrip("#")
    r, g, b = (int(colour[i : i + 2], 16) for i in (0, 2, 4))
    alpha = 170
    pixels = np.zeros((*mask.shape, 4), np.uint8)
    pixels[line] = (b * alpha // 255, g * alpha // 255, r * alpha // 255, alpha)
    height, width = mask.shape
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()
