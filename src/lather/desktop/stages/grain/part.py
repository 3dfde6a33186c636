"""Grain on the desk: put back where it is missing, and shown where it went."""

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QImage, QPainter

from lather.core.job.commands import SetLayer
from lather.core.job.model import Job
from lather.core.phrases import phrase
from lather.core.stages.grain.kind import grain_settings
from lather.core.stages.grain.missing_map import missing_map
from lather.core.stages.grain.put_back import match_grain
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.grain.panel import GrainPanel

_SETTLED_MS = 400  # after the last change, before the map of missing grain is made again
_SOME_MISSING = 0.15  # share of the grain from which a place is hatched
_IS_BACK = "Grain is back wherever it was missing; Grain match tells how well. Paint where you want more of it."


class GrainPart(StagePart):
    empty = "Nothing painted yet.\n\nSwitch on “Put back where it is missing” at the right, or paint grain by hand."
    hint = "Switch on “Put back where it is missing”: what smoothing took returns, nothing else changes."

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.panel = GrainPanel()
        self.panel.put_back.connect(self._put_back)
        self.panel.missing_shown.connect(self._show_missing)
        self.panel.changed.connect(self._settings)
        self.background = Background(self)
        self._missing: QImage | None = None
        self._missing_of: tuple = ()  # the stages whose missing grain is shown
        self._settle = QTimer(self, singleShot=True, interval=_SETTLED_MS)
        self._settle.timeout.connect(self._map_missing)

    def _everywhere(self) -> bool:
        return any(layer.settings.get("everywhere") for layer in self.job.job.stage("grain").layers)

    def said(self, job: Job) -> str:
        return _IS_BACK if self._everywhere() else self.hint

    def empty_text(self) -> str:
        layer = self.job.layer
        if layer is None or not layer.settings.get("everywhere"):
            return self.empty
        return ("Grain is put back wherever earlier work took it, and follows every change.\n\nWhere more is wanted, "
                "paint it by hand: it is listed here.")

    def show_job(self) -> None:
        self.panel.show_layer(self.job.layer, self.desk.measured.grain)
        if self.panel.missing.isChecked() and not self._missing_known():
            self.background.cancel("missing grain")
            self._settle.start()

    def new_layer_settings(self) -> dict:
        grain = self.desk.measured.grain
        return {} if grain is None else grain_settings(grain, everywhere=False)

    def _put_back(self, on: bool) -> None:
        grain = self.desk.measured.grain
        layer = next((x for x in self.job.stage.layers if x.settings.get("everywhere")), None)
        if not on and layer is not None:
            self.job.do(SetLayer("grain", layer.id, "settings", {"everywhere": False}))
        elif on and grain is not None:
            command = match_grain(self.job.job, grain)
            if command is not None:
                self.job.do(command)
        self.show_job()

    def _settings(self, values: dict, dragging: bool) -> None:
        layer = self.job.layer
        if layer is None:
            return
        if "size_px" in values:
            values = {"grain": layer.settings.get("grain", {}) | {"size_px": values["size_px"]}}
        self.job.do(SetLayer("grain", layer.id, "settings", values), merge=dragging)

    # where it went

    def _show_missing(self, on: bool) -> None:
        if on:
            self._map_missing()
        self.canvas.update()

    def _beneath(self) -> tuple:
        return tuple(stage for stage in self.job.job.stages if stage.id != "grain")

    def _missing_known(self) -> bool:
        now = self._beneath()
        return len(now) == len(self._missing_of) and all(a is b for a, b in zip(now, self._missing_of))

    def _map_missing(self) -> None:
        """Make the map of missing grain beside the window, if what lies under Grain changed."""
        job, grain, engine, beneath = self.job.job, self.desk.measured.grain, self.canvas.engine, self._beneath()
        if grain is None or self._missing_known():
            return
        self.message.emit("Looking for missing grain …")
        self.background.run(
            "missing grain", lambda task: missing_map(engine, job, grain, go_on=lambda: task.going_on),
            lambda found: self._take_missing(beneath, found), failed=lambda text: None, newest=True,
        )

    def _take_missing(self, beneath: tuple, found: np.ndarray) -> None:
        self._missing_of = beneath
        some = found > _SOME_MISSING
        self._missing = hatched(found, dense_from=_SOME_MISSING)
        self.message.emit(phrase("Grain is missing on %1 % of the picture.", f"{100 * some.mean():.1f}") if some.any()
                          else "No grain is missing: nothing that was done so far took any.")
        self.canvas.update()
        if self.panel.missing.isChecked() and not self._missing_known():
            self._settle.start()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self.panel.missing.isChecked() and self._missing is not None:
            draw_hatch(painter, canvas, self._missing)

    def idle(self) -> bool:
        """True when no map is being made or about to be."""
        return self.background.idle() and not self._settle.isActive()

    def close(self) -> None:
        self._settle.stop()
        self.background.close()
