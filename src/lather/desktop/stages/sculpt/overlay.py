"""Proposed paths on the photo: light as a pale rising hatch, shade as a dark falling one; numbers as in the list."""

import functools

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPainterPathStroker, QPen, QPixmap

from lather.core.stages.sculpt.paths import Proposal
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.theme.style import font

SEEN_SHARE = 0.5  # of a path's width, in which a soft brush lays down most of its light
_HATCH_PX, _NUMBER_PX = 9, 17
_PALE, _DARK = QColor(235, 250, 246, 200), QColor(12, 44, 48, 215)


@functools.lru_cache(maxsize=4)
def _hatch(tool: str) -> QPixmap:
    """A tile of the hatch: it repeats without a seam."""
    side = _HATCH_PX
    image = QPixmap(side, side)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(_PALE if tool == "light" else _DARK, 2.2 if tool == "light" else 3.0))
    for shift in (-side, 0, side):
        if tool == "light":
            painter.drawLine(QPointF(shift - 1, side + 1), QPointF(shift + side + 1, -1))
        else:
            painter.drawLine(QPointF(shift - 1, -1), QPointF(shift + side + 1, side + 1))
    painter.end()
    return image


def band_of(points: list[QPointF], width: float) -> QPainterPath:
    """The area that a path of a width covers, in device pixels."""
    path = QPainterPath(points[0])
    for point in points[1:]:
        path.lineTo(point)
    if len(points) == 1 or path.length() < 1:
        area = QPainterPath()
        area.addEllipse(points[0], width / 2, width / 2)
        return area
    stroker = QPainterPathStroker()
    stroker.setWidth(max(2.0, width))
    stroker.setCapStyle(Qt.PenCapStyle.RoundCap)
    stroker.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return stroker.createStroke(path).simplified()


def bands(canvas: PhotoCanvas, proposal: Proposal) -> list[QPainterPath]:
    width = SEEN_SHARE * proposal.width_px * canvas.view.scale
    return [band_of([canvas.to_screen(x, y) for x, y in path], width) for path in proposal.paths]


def draw_proposal(painter: QPainter, canvas: PhotoCanvas, proposal: Proposal, *, hatched: bool, in_hand: bool) -> None:
    """Hatched, or as a thin outline."""
    for area in bands(canvas, proposal):
        painter.setBrush(QBrush(_hatch(proposal.tool)) if hatched else Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(255, 255, 255, 235), 1.6) if in_hand else QPen(QColor(255, 255, 255, 120), 1)
                       if not hatched else Qt.PenStyle.NoPen)
        painter.drawPath(area)


def number_place(canvas: PhotoCanvas, proposal: Proposal) -> QPointF:
    """Beside the end of its last path, away from the middle of all."""
    places = np.concatenate(proposal.paths)
    end, middle = proposal.paths[-1][-1], places.mean(0)
    way = end - middle
    way = way / max(1e-6, float(np.hypot(*way))) if np.hypot(*way) > 1 else np.array([1.0, 0.0])
    at = canvas.to_screen(*(end + way * 0.3 * proposal.width_px))
    return at + QPointF(way[0] * (-1 if canvas.view.mirrored else 1), way[1]) * 12


def draw_number(painter: QPainter, at: QPointF, number: int, in_hand: bool) -> None:
    painter.setPen(QPen(QColor(255, 255, 255, 255 if in_hand else 150), 2 if in_hand else 1))
    painter.setBrush(QColor(24, 28, 30, 235))
    painter.drawEllipse(at, _NUMBER_PX / 2, _NUMBER_PX / 2)
    painter.setPen(QColor("#ffffff"))
    painter.setFont(font(7.6, strong=True))
    painter.drawText(QRectF(at.x() - 12, at.y() - 9, 24, 18), Qt.AlignmentFlag.AlignCenter, str(number))
