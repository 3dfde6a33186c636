"""What is drawn over the photo: rings, tags, the wipe line. Device pixels throughout."""

import functools
from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

_PALE = QColor("#cfe3e3")  # on the photo nothing goes by the theme of the panels
_TAG_PX, _FLAG_PX = 24.0, 11.0


def draw_ring(painter: QPainter, centre: QPointF, radius: float, *, taking: bool = False) -> None:
    """Solid: where the tool lays down. Dashed: where it takes from. Dark under light, to show on any skin."""
    image = ring_image(round(max(2.0, radius) * 2), taking)
    half = image.width() / 2
    painter.drawPixmap(QPointF(centre.x() - half, centre.y() - half), image)


@functools.lru_cache(maxsize=12)
def ring_image(diameter: int, taking: bool) -> QPixmap:
    """Drawn once for a size: stroking a large circle anew would cost more than a heal."""
    side = diameter + 6
    image = QPixmap(side, side)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    middle = QPointF(side / 2, side / 2)
    for colour, width, dashed in ((QColor(20, 20, 20, 150), 3, False), (QColor(255, 255, 255, 235), 1.5, taking)):
        pen = QPen(colour, width)
        if dashed:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawEllipse(middle, diameter / 2, diameter / 2)
    painter.end()
    return image


@contextmanager
def inside_ring(painter: QPainter, centre: QPointF, radius: float) -> Iterator[None]:
    """What is drawn meanwhile is seen inside a ring only."""
    path = QPainterPath()
    path.addEllipse(centre, radius, radius)
    painter.save()
    painter.setClipPath(path)
    yield
    painter.restore()


def draw_inner_ring(painter: QPainter, centre: QPointF, radius: float) -> None:
    """Where full coverage ends."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(255, 255, 255, 110), 1))
    painter.drawEllipse(centre, radius, radius)


def draw_link(painter: QPainter, a: QPointF, b: QPointF, radius: float) -> None:
    """A line between two rings, from rim to rim."""
    way = b - a
    length = (way.x() ** 2 + way.y() ** 2) ** 0.5
    if length <= 2 * radius:
        return
    step = way * (radius / length)
    for colour, width in ((QColor(20, 20, 20, 150), 3), (QColor(255, 255, 255, 235), 1.5)):
        painter.setPen(QPen(colour, width))
        painter.drawLine(a + step, b - step)


def draw_outline(painter: QPainter, points: list[QPointF], *, taking: bool = False, accent: bool = False) -> None:
    """A closed outline: solid where something is laid, dashed where it is taken from, accent for a fence."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    light = QColor(theme().accent).lighter(160) if accent else QColor(255, 255, 255, 235)
    for colour, width, dashed in ((QColor(20, 20, 20, 150), 3, False), (light, 1.5, taking)):
        pen = QPen(colour, width)
        if dashed:
            pen.setDashPattern([3, 3])
        painter.setPen(pen)
        painter.drawPolygon(QPolygonF(points))


def draw_line(painter: QPainter, points: list[QPointF], *, quiet: bool = False) -> None:
    """An open line along something found; dashed where it is left alone."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(20, 20, 20, 110), 2.6), (QColor(theme().accent).lighter(190), 1.3)):
        pen = QPen(colour, width)
        if quiet:
            pen.setDashPattern([2, 4])
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(points))


def draw_misfits(painter: QPainter, points: list[QPointF]) -> None:
    """Places of a border that do not fit: brick-coloured crosses, so that colour is not the only sign."""
    painter.setPen(QPen(QColor(theme().over), 2))
    for p in points:
        painter.drawLine(QPointF(p.x() - 3, p.y() - 3), QPointF(p.x() + 3, p.y() + 3))
        painter.drawLine(QPointF(p.x() - 3, p.y() + 3), QPointF(p.x() + 3, p.y() - 3))


def draw_flag(painter: QPainter, at: QPointF, radius: float) -> None:
    """A keeper: a small flag planted at its rim, which leaves the mark itself free to be seen."""
    foot = QPointF(at.x(), at.y() - max(3.0, radius + 2))
    top = foot - QPointF(0, _FLAG_PX)
    cloth = QPolygonF([top, top + QPointF(0.8 * _FLAG_PX, 0.28 * _FLAG_PX), top + QPointF(0, 0.56 * _FLAG_PX)])
    for colour, width in ((QColor(20, 20, 20, 150), 3.2), (_PALE, 1.4)):
        painter.setPen(QPen(colour, width))
        painter.setBrush(QBrush(colour))
        painter.drawLine(foot, top)
        painter.drawPolygon(cloth)


def draw_open(painter: QPainter, at: QPointF, radius: float) -> None:
    """A find nobody has decided on yet: two thin arcs, quieter than all that is in hand."""
    r = max(5.0, radius)
    box = QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for colour, width in ((QColor(20, 20, 20, 90), 2.2), (QColor(255, 255, 255, 150), 1.0)):
        painter.setPen(QPen(colour, width))
        for start in (45, 225):
            painter.drawArc(box, (start - 40) * 16, 80 * 16)


def tag_place(x: float, y: float, width: float, view_width: float, view_height: float, *, right: bool = False):
    """(left end, middle) of a tag that is to begin (or end) at x, moved so that it stays inside the view."""
    left = x - width if right else x
    half = _TAG_PX / 2
    return max(2.0, min(left, view_width - width - 2)), max(half + 2, min(y, view_height - half - 2))


def draw_tag(painter: QPainter, x: float, y: float, text: str, *, right: bool = False) -> None:
    """A small dark tag with white text; (x, y) is its left (or right) end and middle. It stays inside the view."""
    device, text = painter.device(), tr(text)
    scale = device.devicePixelRatioF()
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    chosen = font(8.6)
    width = QFontMetricsF(chosen).horizontalAdvance(text) + 18
    x, y = tag_place(x / scale, y / scale, width, device.width(), device.height(), right=right)
    painter.scale(scale, scale)
    painter.translate(x, y)
    box = QRectF(0, -_TAG_PX / 2, width, _TAG_PX)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(30, 33, 36, 225))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(QColor("#ffffff"))
    painter.setFont(chosen)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.restore()


def draw_hatched_stroke(painter: QPainter, points: list[QPointF], width: float, phase: float) -> None:
    """A painted area that is waiting: a hatch in the accent colour, with a thin outline at its ends."""
    brush = QBrush(QColor(theme().accent), Qt.BrushStyle.BDiagPattern)
    painter.setBrushOrigin(QPointF(phase, 0))
    if len(points) == 1:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(brush)
        painter.drawEllipse(points[0], width / 2, width / 2)
        return
    pen = QPen(brush, width)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(points))


def draw_split_line(painter: QPainter, x: float, height: float, *, handle: bool = False) -> None:
    """The border between photo and retouch."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(255, 255, 255, 230), 2))
    painter.drawLine(QPointF(x, 0), QPointF(x, height))
    if handle:
        painter.setBrush(QColor(30, 33, 36, 225))
        painter.drawEllipse(QPointF(x, height / 2), 13, 13)
        painter.drawLine(QPointF(x - 6, height / 2), QPointF(x - 2, height / 2 - 4))
        painter.drawLine(QPointF(x - 6, height / 2), QPointF(x - 2, height / 2 + 4))
        painter.drawLine(QPointF(x + 6, height / 2), QPointF(x + 2, height / 2 - 4))
        painter.drawLine(QPointF(x + 6, height / 2), QPointF(x + 2, height / 2 + 4))
