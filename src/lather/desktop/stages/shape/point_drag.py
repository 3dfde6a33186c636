"""A measure taken hold of at its point on the photo and dragged along its way."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtGui import QPainter

from lather.core.job.face_map import FaceMap
from lather.core.phrases import phrase
from lather.core.stages.shape.measures import BY_ID, name_of, way
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.shape.overlay import HANDLE_PX, Point
from lather.desktop.widgets.signed_slider import signed

_GRAB_PX = HANDLE_PX + 3


class PointDrag:
    """point: the one under the pen, or None."""

    def __init__(self, canvas: PhotoCanvas):
        self._canvas = canvas
        self.point: Point | None = None
        self._start = (0.0, 0.0)

    def at(self, event: PenEvent, points: Sequence[Point]) -> Point | None:
        """The point that the pen would take."""
        at = self._canvas.to_screen(event.x, event.y)
        ways = [(self._canvas.to_screen(*point.place) - at, point) for point in points]
        near = [((one.x() ** 2 + one.y() ** 2) ** 0.5, point) for one, point in ways]
        far, point = min(near, key=lambda one: one[0], default=(np.inf, None))
        return point if far < _GRAB_PX else None

    def begin(self, point: Point, event: PenEvent) -> None:
        self.point, self._start = point, self._canvas.above(event.x, event.y)

    def percent(self, event: PenEvent, face: FaceMap) -> float:
        """What the measure is while the pen is there. Ways count as they are seen: the form goes along with the pen."""
        measure = BY_ID[self.point.measure]
        now = self._canvas.above(event.x, event.y)
        along = float(np.subtract(now, self._start) @ way(measure, face, self.point.side))
        times = 2 if measure.way == "open" else 1
        return round(self.point.value + times * 100 * along / face.width_px, 1)

    def draw(self, painter: QPainter, canvas: PhotoCanvas, face: FaceMap, value: float) -> None:
        at = canvas.pointer
        if self.point is None or at is None:
            return
        px, name = abs(value) / 100 * face.width_px, name_of(BY_ID[self.point.measure], self.point.side)
        draw_tag(painter, at.x() + 16, at.y() + 26, phrase("%1 · %2 px · %3", name.lower(), f"{px:.0f}", signed(value)))
