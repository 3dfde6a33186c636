"""Small crops of the photo for lists, made once for each item."""

from PyQt6.QtCore import QAbstractListModel, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QListView, QStyledItemDelegate

from lather.core.engine.photo import Photo
from lather.core.types import Rect, level_size
from lather.desktop.canvas.display import DisplayConverter, TileImage

CROP = 48


class Crops:
    """Crops of the photo as it came, by key."""

    def __init__(self, photo: Photo, converter: DisplayConverter):
        self._photo, self._converter = photo, converter
        self._held: dict[str, TileImage] = {}

    def draw(self, painter: QPainter, target: QRectF, key: str, reach: Rect) -> None:
        """Draw the middle of what lies around `reach`, square."""
        held = self._held.get(key)
        if held is None:
            held = self._held[key] = self._make(reach)
        image = held.image
        side = min(image.width(), image.height())
        source = QRectF((image.width() - side) / 2, (image.height() - side) / 2, side, side)
        painter.drawImage(target, image, source)

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


class CropList(QListView):
    """A list of crops with words beside them, scrolled smoothly, on the panel's own ground."""

    def __init__(self, name: str, model: QAbstractListModel, delegate: QStyledItemDelegate, parent=None):
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(delegate)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setStyleSheet("background: transparent;")
        self.setAccessibleName(name)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
