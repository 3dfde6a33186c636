"""The mends of the layer in hand, newest first: go to one, take one out."""

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QLabel, QPushButton, QStyle, QStyledItemDelegate, QVBoxLayout, QWidget

from lather.core.job.model import Layer, Stroke
from lather.desktop.input.brush_state import TOOL_LABELS
from lather.desktop.panels.crops import CROP, CropList, Crops
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme


class _Mends(QAbstractListModel):
    def __init__(self, parent=None):
        super().__init__(parent)
        self.edits: tuple[Stroke, ...] = ()

    def rowCount(self, parent=None) -> int:
        return len(self.edits)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole):
        edit = self.edits[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return edit
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{TOOL_LABELS[edit.tool]}, {edit.brush.size_px:.0f} px"
        return None

    def show(self, edits: tuple[Stroke, ...]) -> None:
        newest_first = edits[::-1]
        if newest_first != self.edits:
            self.beginResetModel()
            self.edits = newest_first
            self.endResetModel()


class _MendDelegate(QStyledItemDelegate):
    """A crop of the photo as it came, the tool and size, what it was for."""

    def __init__(self, crops: Crops, parent=None):
        super().__init__(parent)
        self._crops = crops

    def sizeHint(self, option, index) -> QSize:
        return QSize(180, 60)

    def paint(self, painter: QPainter, option, index) -> None:
        t, edit = theme(), index.data(Qt.ItemDataRole.UserRole)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(option.rect).adjusted(1, 1, -3, -3)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setBrush(QColor(t.accent_tint))
            painter.setPen(QColor(t.accent))
            painter.drawRoundedRect(box, 6, 6)
        crop = QRectF(box.x() + 5, box.y() + 4, CROP, CROP)
        self._crops.draw(painter, crop, edit.id, edit.bounds)
        x = crop.right() + 9
        painter.setPen(QColor(t.ink))
        painter.setFont(font(strong=True))
        painter.drawText(QRectF(x, box.y() + 6, box.right() - x, 18), Qt.AlignmentFlag.AlignVCenter,
                         edit.note.capitalize() or TOOL_LABELS[edit.tool])
        painter.setPen(QColor(t.quiet_ink))
        painter.setFont(font(SMALL_PT))
        detail = f"{TOOL_LABELS[edit.tool]} · " if edit.note else ""
        painter.drawText(QRectF(x, box.y() + 24, box.right() - x, 16), Qt.AlignmentFlag.AlignVCenter,
                         f"{detail}{edit.brush.size_px:.0f} px")
        if edit.brush.ceiling < 1:
            painter.drawText(QRectF(x, box.y() + 38, box.right() - x, 16), Qt.AlignmentFlag.AlignVCenter,
                             f"ceiling {edit.brush.ceiling * 100:.0f} %")
        painter.restore()


class MendsPanel(QWidget):
    """`picked(Stroke)`: show it on the photo. `removed(Stroke)`: take it out."""

    picked = pyqtSignal(object)
    removed = pyqtSignal(object)

    def __init__(self, crops: Crops, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 6, 10)
        column.setSpacing(6)
        self.title = QLabel()
        self.title.setFont(font(strong=True))
        column.addWidget(self.title)
        self.empty = QLabel("No mends on this layer yet.\n\nTouch a spot on the photo: Lather looks for the skin "
                            "to use and mends it. Every mend stays in this list and can be taken out again.")
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.empty, 1)
        self._model = _Mends(self)
        self.list = CropList("Mends of the layer in hand", self._model, _MendDelegate(crops, self))
        self.list.selectionModel().selectionChanged.connect(self._selected)
        column.addWidget(self.list, 1)
        self.remove = QPushButton("Take this mend out")
        self.remove.setToolTip("The skin underneath returns; undo brings the mend back")
        self.remove.clicked.connect(self._remove)
        column.addWidget(self.remove)
        self.show_layer(None)

    def show_layer(self, layer: Layer | None) -> None:
        edits = layer.edits if layer else ()
        name = layer.name if layer else "layer"
        self.title.setText(f"Mends in {name}   {len(edits)}")
        self._model.show(edits)
        self.empty.setVisible(not edits)
        self.list.setVisible(bool(edits))
        self.remove.setVisible(bool(edits))
        self._selected()

    def current(self) -> Stroke | None:
        rows = self.list.selectionModel().selectedIndexes()
        return rows[0].data(Qt.ItemDataRole.UserRole) if rows else None

    def _selected(self, *_) -> None:
        edit = self.current()
        self.remove.setEnabled(edit is not None)
        self.picked.emit(edit)

    def _remove(self) -> None:
        edit = self.current()
        if edit is not None:
            self.removed.emit(edit)
