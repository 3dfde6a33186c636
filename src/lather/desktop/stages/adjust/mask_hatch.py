"""The mask of the layer in hand over the photo: a hatch in the accent colour that moves, never a coloured film."""

from dataclasses import replace

import cv2
import numpy as np
from PyQt6.QtCore import QObject, QRectF, QTimer
from PyQt6.QtGui import QImage, QPainter

from lather.core.engine.engine import Engine
from lather.core.job.model import STAGE_IDS, Job, Layer
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.types import Mask, Rect
from lather.desktop.background import Background
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.theme.tokens import theme

_PERIOD_PX, _TICK_MS, _STEP_PX = 12, 110, 1
_SEEN = 0.04  # coverage from which there is a hatch
_FLASH_MS = 1400
_ALPHA = 205


class MaskHatch(QObject):
    """shown: until it is switched off. `flash` shows it for a moment, after it was changed."""

    def __init__(self, canvas: PhotoCanvas, parent=None):
        super().__init__(parent)
        self.canvas = canvas
        self.shown = False
        self._background = Background(self)
        self._layer: Layer | None = None
        self._job: Job | None = None
        self._stage_id = ""
        self._mask: tuple[Rect, int, Mask] | None = None
        self._of: tuple = ()
        self._phase = 0
        self._ticks = QTimer(self, interval=_TICK_MS)
        self._ticks.timeout.connect(self._tick)
        self._flash = QTimer(self, singleShot=True, interval=_FLASH_MS)
        self._flash.timeout.connect(self._settle)
        canvas.view_changed.connect(self._ask)

    @property
    def visible(self) -> bool:
        return self._layer is not None and (self.shown or self._flash.isActive())

    def set_shown(self, on: bool) -> None:
        self.shown = on
        self._settle()

    def flash(self) -> None:
        self._flash.start()
        self._settle()

    def show_layer(self, job: Job, stage_id: str, layer: Layer | None) -> None:
        self._job, self._stage_id, self._layer = job, stage_id, layer
        self._settle()

    def _settle(self) -> None:
        if self.visible:
            self._ask()
            self._ticks.start()
        else:
            self._ticks.stop()
        self.canvas.update()

    def _tick(self) -> None:
        self._phase = (self._phase + _STEP_PX) % _PERIOD_PX
        self.canvas.update()

    def _ask(self) -> None:
        if not self.visible:
            return
        canvas, level = self.canvas, self.canvas.level
        rect = canvas.view.visible(canvas.picture, level)
        job, stage_id, layer, engine = self._job, self._stage_id, self._layer, canvas.engine
        of = (layer, job.stage("shape"), rect, level, job.face_map)
        if len(of) == len(self._of) and all(a is b or a == b for a, b in zip(of[2:4], self._of[2:4])) and all(
            of[n] is self._of[n] for n in (0, 1, 4)
        ):
            return
        self._of = of
        if rect.empty:
            return
        self._background.run("mask", lambda task: (rect, level, mask_of(engine, job, stage_id, layer, rect, level)),
                             self._take, failed=lambda text: None, newest=True)

    def _take(self, mask: tuple[Rect, int, Mask]) -> None:
        self._mask = mask
        self.canvas.update()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if not self.visible or self._mask is None:
            return
        rect, level, mask = self._mask
        step = 1 << level
        a, b = (canvas.view.to_screen(x * step, y * step) for x, y in ((rect.x0, rect.y0), (rect.x1, rect.y1)))
        left, top, width, height = min(a[0], b[0]), min(a[1], b[1]), abs(b[0] - a[0]), abs(b[1] - a[1])
        if width < 1 or height < 1:
            return
        image = hatch(mask[:, ::-1] if canvas.view.mirrored else mask, round(width), round(height), self._phase)
        painter.drawImage(QRectF(left, top, width, height), image)

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._ticks.stop()
        self._flash.stop()
        self._background.close()


def mask_of(engine: Engine, job: Job, stage_id: str, layer: Layer, rect: Rect, level: int) -> Mask:
    """Where a layer of an adjustment acts, as the picture is seen: a rectangle of a level."""
    kind = engine.kinds.get(layer.kind)
    if not isinstance(kind, AdjustmentKind):
        return np.zeros((rect.height, rect.width), np.float32)
    before = STAGE_IDS[STAGE_IDS.index(stage_id) - 1]
    around = replace(engine.stack(job, before).above(), warp=engine.warp(job))
    return kind.coverage_of(around, layer, rect, level)


def hatch(mask: Mask, width: int, height: int, phase: int) -> QImage:
    """Lines of the accent colour where a mask is set, the wider the more of it there is; as large as it is seen."""
    wide = cv2.resize(np.ascontiguousarray(mask), (width, height), interpolation=cv2.INTER_LINEAR)
    across = (np.arange(width)[None] + np.arange(height)[:, None] + phase) % _PERIOD_PX
    line = (across < 1.2 + 2.2 * wide) & (wide > _SEEN)
    colour = theme().accent.lstrip("#")
    r, g, b = (int(colour[i : i + 2], 16) for i in (0, 2, 4))
    pixels = np.zeros((height, width, 4), np.uint8)
    pixels[line] = (b * _ALPHA // 255, g * _ALPHA // 255, r * _ALPHA // 255, _ALPHA)
    return QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied).copy()
