"""The rims of a light pool on the photo: drawn, and pulled."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from lather.core.job.commands import SetLayer
from lather.core.job.model import Layer
from lather.core.stages.finish.pool import PoolKind, pulled, rim
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.opening.open_job import OpenJob

_GRAB_PX = 16.0


class PoolControl:
    """Takes the pen where it touches a rim of the pool in hand."""

    def __init__(self, canvas: PhotoCanvas, job: OpenJob):
        self.canvas, self.job = canvas, job
        self._pull: tuple[str, float, float, dict] | None = None
        self._over: tuple[str, int] | None = None

    @property
    def layer(self) -> Layer | None:
        layer = self.job.layer
        return layer if layer is not None and layer.kind == PoolKind.id and "shape" in layer.settings else None

    def pen_event(self, event: PenEvent) -> bool:
        """True if the event was for a rim."""
        layer = self.layer
        if layer is None or event.context:
            return False
        if event.kind == "press":
            near = self._near(layer, event.x, event.y)
            if near is None:
                return False
            self._pull = (near[0], event.x, event.y, layer.settings["shape"])
            return True
        if self._pull is None:
            self._over = self._near(layer, event.x, event.y) if event.kind == "move" else None
            return False
        name, x, y, shape = self._pull
        if event.kind in ("move", "release"):
            moved = pulled(shape, name, x, y, event.x, event.y)
            self.job.do_dragged(SetLayer("finish", layer.id, "settings", {"shape": moved}), event.kind == "move")
        if event.kind != "move":
            self._pull = None
        self.canvas.update()
        return True

    def _near(self, layer: Layer, x: float, y: float) -> tuple[str, int] | None:
        """(rim, number of the place on it) under the pen."""
        best, least = None, _GRAB_PX / max(self.canvas.view.scale, 1e-6)
        for name in ("inner", "outer"):
            places = rim(tuple(map(tuple, layer.settings["shape"][name])))
            far = np.hypot(places[:, 0] - x, places[:, 1] - y)
            if far.min() < least:
                best, least = (name, int(far.argmin())), float(far.min())
        return best

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        layer = self.layer
        if layer is None:
            return
        held = self._pull[0] if self._pull is not None else self._over[0] if self._over is not None else ""
        for name in ("outer", "inner"):
            places = rim(tuple(map(tuple, layer.settings["shape"][name])))
            line = QPolygonF([canvas.to_screen(float(x), float(y)) for x, y in places])
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for colour, width in ((QColor(20, 20, 20, 140), 3.2), (QColor(255, 255, 255, 235), 2.4 if name == held
                                                                   else 1.5)):
                pen = QPen(colour, width)
                if name == "inner":
                    pen.setDashPattern([4, 4])
                painter.setPen(pen)
                painter.drawPolygon(line)
        if held and canvas.pointer is not None:
            at = canvas.pointer + QPointF(14, -14)
            says = "full inside this rim" if held == "inner" else "faded out beyond this rim"
            draw_tag(painter, at.x(), at.y(), says)

    def give_up(self) -> None:
        self._pull = None
