"""What Strands, Split and Grain have of their own: panels turned into commands, and what lies over the photo."""

import threading

import cv2
import numpy as np
from PyQt6.QtCore import QObject, QRectF, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from lather.core.errors import LatherError
from lather.core.job.commands import SetLayer, Together
from lather.core.job.model import Layer
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.missing_map import missing_map
from lather.core.stages.grain.put_back import match_grain
from lather.core.stages.split.kind import VEIL_STRENGTH
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.stage_panels import GrainPanel, SplitPanel, StrandsPanel
from lather.desktop.screens.finds_control import FindsControl
from lather.desktop.screens.measured import Measured
from lather.desktop.theme.tokens import theme

_BAND_NAMES = {"tone": "Tone", "texture": "Texture", "blotch": "Blotches", "veil": "Veil"}
_HATCH_PX, _LONG_SIDE = 7, 2000
_SETTLED_MS = 400  # after the last change, before the map of missing grain is made again
_SOME_MISSING = 0.15  # share of the grain from which a place is hatched


class StageControl(QObject):
    """`message(text)` for the person."""

    message = pyqtSignal(str)
    _mapped = pyqtSignal(object, object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, found: FindsControl, measured: Measured, parent=None):
        super().__init__(parent)
        self.canvas, self.job, self.found, self.measured = canvas, job, found, measured
        self.strands, self.split, self.grain = StrandsPanel(), SplitPanel(), GrainPanel()
        self.panels = {"strands": self.strands, "split": self.split, "grain": self.grain}
        self._ground_shown = False
        self._ground: QImage | None = None
        self._missing: QImage | None = None
        self._missing_of: tuple = ()  # the stages whose missing grain is shown
        self._change = 0  # counts what was asked for: a map of what has changed since is given up
        self._mapping: threading.Thread | None = None
        self._closed = False
        self._settle = QTimer(self, singleShot=True, interval=_SETTLED_MS)
        self._settle.timeout.connect(self._map_missing)
        self._mapped.connect(self._take_missing)
        self._protect = True
        self.strands.filtered.connect(self._filter)
        self.strands.ground_shown.connect(self._show_ground)
        self.split.settings_changed.connect(self._split_settings)
        self.split.look_chosen.connect(self._look)
        self.split.layer_asked.connect(self._new_band)
        self.split.protected.connect(self._set_protected)
        self.grain.put_back.connect(self._put_back)
        self.grain.missing_shown.connect(self._show_missing)
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
            if self.grain.missing.isChecked() and not self._missing_known():
                self._change += 1
                self._settle.start()

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
        """Safe ground, or where grain went, as a hatch in the accent colour."""
        hatch = None
        if self.job.stage_id == "strands" and self._ground_shown and self.measured.measures is not None:
            if self._ground is None:
                self._ground = _hatched(self.measured.measures.ground)
            hatch = self._ground
        elif self.job.stage_id == "grain" and self.grain.missing.isChecked():
            hatch = self._missing
        if hatch is None:
            return
        x0, y0 = canvas.view.to_screen(0, 0)
        x1, y1 = canvas.view.to_screen(canvas.picture.x1, canvas.picture.y1)
        painter.drawImage(QRectF(x0, y0, x1 - x0, y1 - y0), hatch)

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

    def _show_missing(self, on: bool) -> None:
        if on:
            self._map_missing()
        self.canvas.update()

    def _beneath_grain(self) -> tuple:
        return tuple(stage for stage in self.job.job.stages if stage.id != "grain")

    def _missing_known(self) -> bool:
        now = self._beneath_grain()
        return len(now) == len(self._missing_of) and all(a is b for a, b in zip(now, self._missing_of))

    def _map_missing(self) -> None:
        """Make the map of missing grain beside the window, if what lies under Grain changed."""
        job, grain = self.job.job, self.measured.grain
        if self._mapping is not None or grain is None or self._missing_known():
            return
        engine, beneath, change = self.job.session.engine, self._beneath_grain(), self._change

        def work() -> None:
            try:
                found = missing_map(engine, job, grain, go_on=lambda: not self._closed and self._change == change)
            except LatherError:
                found = None
            if not self._closed:
                self._mapped.emit(beneath, found)

        self.message.emit("Looking for missing grain …")
        self._mapping = threading.Thread(target=work, name="missing grain", daemon=True)
        self._mapping.start()

    def _take_missing(self, beneath: tuple, found: np.ndarray | None) -> None:
        self._mapping = None
        if found is not None:
            self._missing_of = beneath
            some = found > _SOME_MISSING
            self._missing = _hatched(found, dense=True)
            self.message.emit(f"Grain is missing on {100 * some.mean():.1f} % of the picture." if some.any()
                              else "No grain is missing: nothing that was done so far took any.")
            self.canvas.update()
        if self.grain.missing.isChecked() and not self._missing_known():
            self._settle.start()

    def idle(self) -> bool:
        """True when no map is being made or about to be."""
        return self._mapping is None and not self._settle.isActive()

    def close(self) -> None:
        self._closed = True
        if self._mapping is not None:
            self._mapping.join(timeout=20)

    def _grain_settings(self, values: dict, dragging: bool) -> None:
        layer: Layer | None = self.job.layer
        if layer is None:
            return
        if "size_px" in values:
            values = {"grain": layer.settings.get("grain", {}) | {"size_px": values["size_px"]}}
        self.job.do(SetLayer("grain", layer.id, "settings", values), merge=dragging)


def _hatched(share: np.ndarray, dense: bool = False) -> QImage:
    """Diagonal lines in the accent colour where a map is set; premultiplied ARGB. dense: wider lines where it is more.
    """
    side = 2 if not dense else max(1, round(_LONG_SIDE / max(share.shape)))
    wide = cv2.resize(np.float32(share), None, fx=side, fy=side, interpolation=cv2.INTER_NEAREST)
    ys, xs = np.mgrid[: wide.shape[0], : wide.shape[1]]
    at = (xs + ys) % (2 * _HATCH_PX)
    line = at < (np.where(wide > _SOME_MISSING, 2 + 5 * wide, 0) if dense else np.where(wide > 0, 3, 0))
    colour = theme().accent.lstrip("#")
    r, g, b = (int(colour[i : i + 2], 16) for i in (0, 2, 4))
    alpha = 170
    pixels = np.zeros((*wide.shape, 4), np.uint8)
    pixels[line] = (b * alpha // 255, g * alpha // 255, r * alpha // 255, alpha)
    height, width = wide.shape
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()
