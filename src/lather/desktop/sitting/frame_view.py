"""One frame of the sitting, its face large: brackets on what stays, rings on what was mended, numbers on looks."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from lather.core.sitting.sitting import Frame
from lather.desktop.canvas.pointer import draw_tag
from lather.desktop.sitting.control import Seen
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

_FACES_IN_VIEW, _BELOW_EYES = 1.55, 0.35  # face widths that fit into the view; how far below the eyes its middle is
_LEAST_PX = 6.0  # of a mark on the screen
_LOOK = "#f0c060"


class FrameView(QWidget):
    """`chosen(number)`: a mark that needs a look was clicked."""

    chosen = pyqtSignal(int)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.frame: Frame | None = None
        self._seen: Seen | None = None
        self.current = -1
        self.setAccessibleName("Frame in view")

    def show_frame(self, frame: Frame | None, seen: Seen | None, current: int) -> None:
        self.frame, self._seen, self.current = frame, seen, current
        self.update()

    def _placed(self) -> tuple[QRectF, float]:
        """Where the picture is drawn, its face filling the view; and view px per px of the photo."""
        image, seen = self._seen.image, self._seen
        fill = max(self.width() / image.width(), self.height() / image.height())
        scale, middle = fill, QPointF(0.5 * image.width(), 0.45 * image.height())
        if seen.face is not None:
            x, y, width = (v * seen.scale for v in seen.face)
            scale = max(fill, min(self.width(), self.height()) / (_FACES_IN_VIEW * width))
            middle = QPointF(x, y + _BELOW_EYES * width)
        left = min(0.0, max(self.width() - image.width() * scale, 0.5 * self.width() - middle.x() * scale))
        top = min(0.0, max(self.height() - image.height() * scale, 0.5 * self.height() - middle.y() * scale))
        return QRectF(left, top, image.width() * scale, image.height() * scale), scale * seen.scale

    def place(self, x: float, y: float) -> QPointF:
        """Of a place of the photo on the view."""
        area, scale = self._placed()
        return QPointF(area.x() + x * scale, area.y() + y * scale)

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme().surround))
        if self._seen is None or self.frame is None:
            return
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        area, scale = self._placed()
        painter.drawImage(area, self._seen.image)
        for x, y, size in self._seen.mends:
            self._ring(painter, self.place(x, y), max(_LEAST_PX, 0.6 * size * scale), "#ffffff")
        for x, y, size in self._seen.keepers:
            self._bracket(painter, self.place(x, y), max(_LEAST_PX, 0.8 * size * scale))
        last = None
        for number in self.frame.looks_left:
            look = self.frame.carried.looks[number]
            if look.x is None:
                continue
            at, radius = self.place(look.x, look.y), max(_LEAST_PX + 3, 0.9 * look.size_px * scale)
            self._ring(painter, at, radius, _LOOK, 3.0 if number == self.current else 1.8)
            right = at.x() > 0.6 * self.width()
            edge = at + QPointF(-radius - 6 if right else radius + 6, 0)
            if number == self.current:
                last = number, look.name, edge, right
            else:
                self._number(painter, edge, number + 1, right)
        ratio = self.devicePixelRatioF()
        if last is not None:
            number, name, edge, right = last
            draw_tag(painter, edge.x() * ratio, edge.y() * ratio, f"{number + 1} · {name}", right=right)
        marked = self._seen.mends or self._seen.keepers
        words = " · brackets stay, rings were mended" if marked else "" if self._seen.worked else " · as it came"
        draw_tag(painter, 10 * ratio, 20 * ratio, f"{self.frame.stem}{words}")

    @staticmethod
    def _number(painter: QPainter, at: QPointF, number: int, right: bool) -> None:
        painter.setFont(font(8.6, strong=True))
        box = QRectF(at.x() - (22 if right else 0), at.y() - 9, 22, 18)
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        way = int(side | Qt.AlignmentFlag.AlignVCenter)
        for colour, by in ((QColor(20, 22, 24, 220), 1.0), (QColor(_LOOK), 0.0)):
            painter.setPen(colour)
            painter.drawText(box.translated(by, by), way, str(number))

    @staticmethod
    def _ring(painter: QPainter, at: QPointF, radius: float, colour: str, width: float = 1.5) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(20, 22, 24, 150), width + 2), QPen(QColor(colour), width)):
            painter.setPen(pen)
            painter.drawEllipse(at, radius, radius)

    @staticmethod
    def _bracket(painter: QPainter, at: QPointF, radius: float) -> None:
        arm = 0.5 * radius
        for pen in (QPen(QColor(20, 22, 24, 150), 3.4), QPen(QColor("#ffffff"), 1.5)):
            painter.setPen(pen)
            for sx in (-1, 1):
                for sy in (-1, 1):
                    corner = at + QPointF(sx * radius, sy * radius)
                    painter.drawPolyline(QPolygonF([corner - QPointF(sx * arm, 0), corner,
                                                    corner - QPointF(0, sy * arm)]))

    def mousePressEvent(self, event) -> None:
        if self._seen is None or self.frame is None or self.frame.carried is None:
            return
        _, scale = self._placed()
        for number in self.frame.looks_left:
            look = self.frame.carried.looks[number]
            if look.x is not None:
                away = event.position() - self.place(look.x, look.y)
                if away.x() ** 2 + away.y() ** 2 < max(16.0, look.size_px * scale) ** 2:
                    self.chosen.emit(number)
                    return
