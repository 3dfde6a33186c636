"""The frames of a sitting as a row of small pictures, each with its state and its keepers."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from lather.core.phrases import phrase
from lather.core.sitting.sitting import FINISHED, PHOTO, Frame
from lather.core.sitting.skin_alike import ALIKE_DE
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

_CARD_PX, _PICTURE_PX, _LINES_PX, _GAP = 130, 118, 36, 9


def state_text(frame: Frame, reference: Frame | None) -> tuple[str, bool]:
    """(what is said of a frame, True where somebody should look)."""
    looks = len(frame.looks_left)
    if frame.state == PHOTO:
        return "not carried", False
    if looks:
        return phrase("%1 to look at", looks), True
    if reference is not None and frame.now is not None and reference.now is not None and (
            frame.now.colour_off(reference.now) > 2 * ALIKE_DE):
        return "colour differs", True
    return ("finished" if frame.state == FINISHED else "carried"), False


class FrameCard(QWidget):
    """One frame; `clicked(name)`, `opened(name)` on a double click."""

    clicked = pyqtSignal(str)
    opened = pyqtSignal(str)

    def __init__(self, name: str, parent=None):
        super().__init__(parent)
        self.name = name
        self.frame: Frame | None = None
        self.image: QImage | None = None
        self.state, self.warns, self.chosen = "", False, False
        self.setFixedSize(_CARD_PX, _PICTURE_PX + _LINES_PX)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def show_frame(self, frame: Frame, image: QImage | None, reference: Frame | None, chosen: bool) -> None:
        self.frame, self.image, self.chosen = frame, image, chosen
        self.state, self.warns = state_text(frame, reference)
        self.setAccessibleName(phrase("Frame %1, %2", frame.stem, self.state))
        self.setToolTip(tr("%1: %2. A double click opens it on the desk.", frame.name, self.state))
        self.update()

    @property
    def keepers(self) -> str:
        """How many of the person's keepers are known on it."""
        if self.frame.carried is None:
            return ""
        known, of = self.frame.carried.keepers
        return phrase("%1 of %2", known, of)

    def paintEvent(self, event) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(2, 2, _CARD_PX - 4, _PICTURE_PX - 4)
        rim = QPainterPath()
        rim.addRoundedRect(box, 4, 4)
        painter.fillPath(rim, QColor(t.track))
        if self.image is not None:
            painter.setClipPath(rim)
            scale = max(box.width() / self.image.width(), box.height() / self.image.height())
            size = self.image.width() * scale, self.image.height() * scale
            painter.drawImage(QRectF(box.center().x() - size[0] / 2, box.y() + 0.35 * (box.height() - size[1]), *size),
                              self.image)
            painter.setClipping(False)
        painter.setPen(QPen(QColor(t.accent if self.chosen else t.line), 2.4 if self.chosen else 1))
        painter.drawPath(rim)
        self._lines(painter, t)

    def _lines(self, painter: QPainter, t) -> None:
        first, second = (QRectF(2, _PICTURE_PX + k * 16, _CARD_PX - 4, 16) for k in (0, 1))
        left = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        painter.setFont(font(SMALL_PT, strong=self.warns))
        painter.setPen(QColor(t.near_text if self.warns else t.quiet_ink))
        painter.drawText(first, right, self.state)
        room = _CARD_PX - 8 - painter.fontMetrics().horizontalAdvance(self.state)
        painter.setFont(font(SMALL_PT, strong=True))
        painter.setPen(QColor(t.ink))
        painter.drawText(first, left, painter.fontMetrics().elidedText(self.frame.stem, Qt.TextElideMode.ElideMiddle,
                                                                        max(10, room)))
        if self.keepers:
            painter.setFont(font(SMALL_PT))
            painter.setPen(QColor(t.quiet_ink))
            painter.drawText(second, left, "keepers")
            painter.drawText(second, right, self.keepers)

    def mousePressEvent(self, event) -> None:
        self.clicked.emit(self.name)

    def mouseDoubleClickEvent(self, event) -> None:
        self.opened.emit(self.name)


class FrameStrip(QWidget):
    """All frames; `chosen(name)`, `opened(name)`."""

    chosen = pyqtSignal(str)
    opened = pyqtSignal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.cards: dict[str, FrameCard] = {}
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 4, 12, 4)
        self._row.setSpacing(_GAP)
        self._row.addStretch(1)

    def show_frames(self, frames: list[Frame], thumbs: dict[str, QImage], reference: Frame | None, chosen: str) -> None:
        wanted = [frame.name for frame in frames]
        for name in [name for name in self.cards if name not in wanted]:
            self.cards.pop(name).deleteLater()
        for number, frame in enumerate(frames):
            if frame.name not in self.cards:
                card = FrameCard(frame.name)
                card.clicked.connect(self.chosen)
                card.opened.connect(self.opened)
                self.cards[frame.name] = card
                self._row.insertWidget(number, card)
            self.cards[frame.name].show_frame(frame, thumbs.get(frame.name), reference, frame.name == chosen)

    def sizeHint(self) -> QSize:
        return QSize(len(self.cards) * (_CARD_PX + _GAP) + 24, _PICTURE_PX + _LINES_PX + 8)
