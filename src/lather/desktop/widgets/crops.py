"""Small crops of the photo for lists, made once for each item."""

from PyQt6.QtCore import QAbstractListModel, QObject, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate

from lather.core.engine.photo import Photo
from lather.core.types import Rect, level_size
from lather.desktop.background import Background
from lather.desktop.canvas.display import DisplayConverter, TileImage
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme

CROP = 48


class Crops(QObject):
    """Crops of the photo as it came, by key, made in the background as lists ask for them. `made()`: more are there."""

    made = pyqtSignal()

    def __init__(self, photo: Photo, converter: DisplayConverter, parent: QObject | None = None):
        super().__init__(parent)
        self._photo, self._converter = photo, converter
        self._held: dict[str, TileImage] = {}
        self._asked: set[str] = set()
        self._wanted: dict[str, Rect] = {}
        self._background = Background(self)
        self.idle, self.close = self._background.idle, self._background.close

    def draw(self, painter: QPainter, target: QRectF, key: str, reach: Rect) -> None:
        """Draw the middle of what lies around `reach`, square, as soon as it is there."""
        held = self._held.get(key)
        if held is None:
            if key not in self._asked:
                self._asked.add(key)
                self._wanted[key] = reach
                self._begin()
            painter.fillRect(target, QColor(theme().track))
            return
        image = held.image
        side = min(image.width(), image.height())
        source = QRectF((image.width() - side) / 2, (image.height() - side) / 2, side, side)
        painter.drawImage(target, image, source)

    def _begin(self) -> None:
        if not self._wanted or self._background.running("crops"):
            return
        wanted, self._wanted = self._wanted, {}
        self._background.run("crops", lambda task: {key: self._make(reach) for key, reach in wanted.items()},
                             self._take, failed=lambda why: self._take({}))

    def _take(self, held: dict[str, TileImage]) -> None:
        self._held |= held
        self.made.emit()
        self._begin()

    def _make(self, reach: Rect) -> TileImage:
        side = max(CROP, 2 * max(reach.width, reach.height))
        level = 0
        while side >> (level + 1) >= 2 * CROP:
            level += 1
        half, cx, cy = side // 2, (reach.x0 + reach.x1) // 2, (reach.y0 + reach.y1) // 2
        rect = Rect(cx - half, cy - half, cx + half, cy + half).at_level(level)
        rect = rect.intersect(Rect(0, 0, *level_size(self._photo.width, self._photo.height, level)))
        if rect.empty:
            rect = Rect(0, 0, 1, 1)
        return TileImage(self._converter.bgrx(self._photo.read(rect, level)))


class CropDelegate(QStyledItemDelegate):
    """A row: a crop and up to three lines beside it. `row(item)` gives (key, reach, lines, faded)."""

    def __init__(self, crops: Crops, row, parent=None):
        super().__init__(parent)
        self.crops, self._row = crops, row

    def sizeHint(self, option, index) -> QSize:
        return QSize(180, 60)

    def paint(self, painter: QPainter, option, index) -> None:
        t = theme()
        key, reach, lines, faded = self._row(index)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(option.rect).adjusted(1, 1, -3, -3)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(QColor(t.accent_tint))
            painter.setPen(QColor(t.accent))
            painter.drawRoundedRect(box, 6, 6)
        painter.setOpacity(0.6 if faded else 1.0)
        self.crops.draw(painter, QRectF(box.x() + 5, box.y() + 4, CROP, CROP), key, reach)
        x = box.x() + CROP + 14
        width = box.right() - x - 2
        for number, line in enumerate(lines):
            painter.setPen(QColor(t.ink if number == 0 else t.quiet_ink))
            painter.setFont(font(strong=True) if number == 0 else font(SMALL_PT))
            line = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideMiddle, int(width))
            painter.drawText(QRectF(x, box.y() + 3 + 17 * number, width, 17), Qt.AlignmentFlag.AlignVCenter, line)
        painter.restore()


class CropList(QListView):
    """A list of crops with words beside them, scrolled smoothly, on the panel's own ground."""

    def __init__(self, name: str, model: QAbstractListModel, delegate: CropDelegate, parent=None):
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(delegate)
        delegate.crops.made.connect(self.viewport().update)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setStyleSheet("background: transparent;")
        self.setAccessibleName(name)
        self.setProperty(TAKES_COMMANDS, True)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_row(self, row: int) -> None:
        """Bring a row into sight, with the first row in sight whole."""
        self.scrollTo(self.model().index(row, 0))
        bar, height = self.verticalScrollBar(), self.sizeHintForRow(0)
        hidden = bar.value() % height if height > 0 else 0
        if hidden and bar.value() < bar.maximum():
            bar.setValue(bar.value() + height - hidden)
