"""Shape on the photo: points of the measures, the axis, what is held, lines behind, a piece to be stretched."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from lather.core.job.face_map import FaceMap
from lather.core.stages.shape.measures import BY_ID, handle, way
from lather.core.stages.shape.readout import Bend
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.theme.tokens import theme

HANDLE_PX, _QUIET_PX = 7.0, 3.5
_ARROW_PX, _ARROW_TIMES, _LONGEST_PX = 6.0, 1.0, 60.0
_GAP_PX = 40.0  # a line that is parted by the person
_TIMES = 10  # a bend is drawn so many times larger
_DARK, _PALE = QColor(22, 27, 30, 235), QColor(255, 255, 255, 235)


@dataclass(frozen=True)
class Point:
    """Where a measure is taken hold of: `place` on the photo, `value` in % of the face's width."""

    measure: str
    side: str
    place: tuple[float, float]
    value: float


def points_of(face: FaceMap, shown: Sequence[str], values: dict[tuple[str, str], float]) -> list[Point]:
    """The points of measures that are shown."""
    return [Point(name, side, tuple(map(float, handle(BY_ID[name], face, side))), values.get((name, side), 0.0))
            for name in shown for side in BY_ID[name].sides]


def draw_points(painter: QPainter, canvas: PhotoCanvas, face: FaceMap, points: Sequence[Point], picked: str) -> None:
    for point in points:
        at = canvas.to_screen(*point.place)
        own = point.measure == picked
        if abs(point.value) >= 0.05:
            _draw_arrow(painter, canvas, face, point, at)
        painter.setPen(QPen(_PALE, 2 if own else 1.2))
        painter.setBrush(QColor(theme().accent) if own else _DARK)
        painter.drawEllipse(at, HANDLE_PX if own else _QUIET_PX, HANDLE_PX if own else _QUIET_PX)


def _draw_arrow(painter: QPainter, canvas: PhotoCanvas, face: FaceMap, point: Point, at: QPointF) -> None:
    """Which way it was moved; no shorter than can be seen."""
    vector = way(BY_ID[point.measure], face, point.side) * np.sign(point.value)
    on = canvas.on_screen(float(vector[0]), float(vector[1]))
    on = on / max(1e-6, (on.x() ** 2 + on.y() ** 2) ** 0.5)
    length = min(_LONGEST_PX, 22 + abs(point.value) / 100 * face.width_px * canvas.view.scale)
    tip, across = at + on * length, QPointF(-on.y(), on.x())
    for colour, width in ((QColor(20, 20, 20, 150), 3.4), (_PALE, 1.8)):
        painter.setPen(QPen(colour, width))
        painter.drawLine(at, tip)
        painter.drawPolyline(QPolygonF([tip - (on - across * 0.8) * _ARROW_PX, tip, tip - (on + across * 0.8)
                                        * _ARROW_PX]))


def draw_axis(painter: QPainter, canvas: PhotoCanvas, face: FaceMap) -> None:
    """The middle of the face, by its own points: forehead, root and tip of the nose, lips, chin."""
    line = QPolygonF([canvas.to_screen(*face.mesh_px[n]) for n in (10, 151, 168, 6, 195, 1, 2, 0, 17, 199, 152)])
    for colour, width in ((QColor(20, 20, 20, 110), 2.6), (QColor(255, 255, 255, 200), 1.2)):
        pen = QPen(colour, width)
        pen.setDashPattern([5, 4])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)


def draw_bends(painter: QPainter, canvas: PhotoCanvas, bends: Sequence[Bend], held: set[str]) -> None:
    """Lines that are watched, dotted; one that is bent also in brick, its bend drawn ten times as large."""
    for bend in bends:
        parts = [[canvas.to_screen(*place) for place in part] for part in bend.parts]
        for colour, width in ((QColor(20, 20, 20, 140), 2.4), (QColor(255, 255, 255, 210), 1.2)):
            pen = QPen(colour, width)
            pen.setDashPattern([1.5, 3] if bend.name not in held else [6, 2])
            painter.setPen(pen)
            for part in parts:
                painter.drawLine(*part)
        if bend.over:
            _draw_bent(painter, canvas, bend)


def _draw_bent(painter: QPainter, canvas: PhotoCanvas, bend: Bend) -> None:
    start, end = np.array(bend.start), np.array(bend.end)
    along = (end - start) / max(1e-6, float(np.hypot(*(end - start))))
    across = np.array([-along[1], along[0]])
    off = (bend.now - start) @ across
    places = bend.now + np.outer((_TIMES - 1) * off, across)
    off_enough = np.abs(off) > 0.1 * np.abs(off).max()
    near = int(np.abs(off).argmax())
    gone = np.flatnonzero(~off_enough | (np.hypot(*np.diff(bend.now, axis=0, append=bend.now[-1:]).T) > _GAP_PX))
    first, last = max(gone[gone < near], default=0), min(gone[gone > near], default=len(off))
    view = canvas.view
    line = QPolygonF([QPointF(*view.to_screen(*place)) for place in places[first : last + 1]])
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(255, 255, 255, 160), 3.6), (QColor(theme().over), 2.0)):
        painter.setPen(QPen(colour, width))
        painter.drawPolyline(line)


def bend_place(canvas: PhotoCanvas, bend: Bend) -> QPointF:
    """Where a line is bent most, in device pixels."""
    start = np.array(bend.start)
    along = np.array(bend.end) - start
    across = np.array([-along[1], along[0]]) / max(1e-6, float(np.hypot(*along)))
    return QPointF(*canvas.view.to_screen(*bend.now[int(np.abs((bend.now - start) @ across).argmax())]))
