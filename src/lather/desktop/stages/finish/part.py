"""Finish on the desk."""

import numpy as np
from PyQt6.QtGui import QPainter

from lather.core.job.model import Job, Layer
from lather.core.phrases import phrase
from lather.core.stages.finish.tints import HIGH, LOW, RANGES
from lather.core.stages.finish.tone import neutral_at
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.adjust.box import AdjustBox
from lather.desktop.stages.adjust.part import AdjustPart
from lather.desktop.stages.colour.boxes import CurveBox
from lather.desktop.stages.finish.pool_control import PoolControl


class TwoColumns(AdjustBox):
    """Of kinds with many sliders."""

    columns = 2


class FinishPart(AdjustPart):
    boxes = {"tone": CurveBox, "tints": TwoColumns, "mono": TwoColumns, "pool": TwoColumns}
    default_zone = "person"

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.pool = PoolControl(self.canvas, self.job)

    def said(self, job: Job) -> str:
        if self.layer is None and not self.proposes():
            return "Choose an adjustment at the left. All start neutral: nothing changes until you change a value."
        return super().said(job)

    def pen_event(self, event: PenEvent) -> bool:
        if self.state.tool == "pool_rim":
            self.pool.pen_event(event)
            self.canvas.update()
            return event.kind != "leave" and not event.context
        return super().pen_event(event)

    def hovered(self, event: PenEvent) -> None:
        if self.state.tool == "pool_rim":
            self.canvas.update()

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        super().draw(painter, canvas)
        if self.kind.id == "pool":
            self.pool.draw(painter, canvas)

    def takes_pointer(self) -> bool:
        return self.state.tool == "pool_rim" or super().takes_pointer()

    def give_up(self) -> None:
        super().give_up()
        self.pool.give_up()

    def picked(self, layer: Layer, lab: np.ndarray) -> tuple[dict, str]:
        if layer.kind == "tone":
            values = neutral_at(lab)
            return (values, "What you touched is grey now: warmth and tint are measured there.") if values else (
                {}, "That is no grey and no white: touch a grey card, or the white of a shirt or an eye.")
        if layer.kind != "tints":
            return super().picked(layer, lab)
        low, high = (float(layer.settings.get(one.id, one.start)) for one in (LOW, HIGH))
        name = "shadows" if lab[0] < low else "lights" if lab[0] > high else "middle"
        hue = float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)
        chroma = layer.settings.get(f"{name}_chroma", 0.0) or 4.0
        said = phrase("%1: hue %2°.", RANGES[name][0], f"{hue:.0f}")
        return {f"{name}_hue": round(hue, 1), f"{name}_chroma": chroma}, said
