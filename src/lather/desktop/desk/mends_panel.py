"""The mends of the layer in hand, newest first: go to one, take one out."""

from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core.job.model import Layer, Stroke
from lather.core.phrases import joined, phrase
from lather.core.stages.info import StageInfo
from lather.core.tools.registry import TOOLS
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.widgets.crops import CropDelegate, CropList, Crops
from lather.desktop.widgets.elided_label import ElidedLabel


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
            return phrase("%1, %2 px", TOOLS[edit.tool].label, f"{edit.brush.size_px:.0f}")
        if role == Qt.ItemDataRole.ToolTipRole:
            parts = (edit.note, TOOLS[edit.tool].label, phrase("%1 px", f"{edit.brush.size_px:.0f}"))
            return tr(joined(parts, " · "))
        return None

    def show(self, edits: tuple[Stroke, ...]) -> None:
        newest_first = edits[::-1]
        if newest_first != self.edits:
            self.beginResetModel()
            self.edits = newest_first
            self.endResetModel()


def _row(index: QModelIndex) -> tuple:
    """What it was for, the tool and size, the ceiling if it is not whole."""
    edit = index.data(Qt.ItemDataRole.UserRole)
    detail = f"{TOOLS[edit.tool].label} · " if edit.note else ""
    lines = [edit.note.capitalize() or TOOLS[edit.tool].label, phrase("%1%2 px", detail, f"{edit.brush.size_px:.0f}")]
    if edit.brush.ceiling < 1:
        lines.append(phrase("ceiling %1 %", f"{edit.brush.ceiling * 100:.0f}"))
    return edit.id, edit.bounds, lines, False


class MendsPanel(QWidget):
    """`picked(Stroke)`: show it on the photo. `removed(Stroke)`: take it out."""

    picked = pyqtSignal(object)
    removed = pyqtSignal(object)

    def __init__(self, crops: Crops, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 6, 10)
        column.setSpacing(6)
        self.title = ElidedLabel()
        self.title.setFont(font(strong=True))
        column.addWidget(self.title)
        self.empty = QLabel()
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.empty, 1)
        self._model = _Mends(self)
        self.list = CropList("Mends of the layer in hand", self._model, CropDelegate(crops, _row, self))
        self.list.selectionModel().selectionChanged.connect(self._selected)
        column.addWidget(self.list, 1)
        self.remove = QPushButton(tr("Take this mend out"))
        self.remove.setToolTip(tr("The skin underneath returns; undo brings the mend back"))
        self.remove.clicked.connect(self._remove)
        column.addWidget(self.remove)
        self.show_layer(None, None, "")

    def show_layer(self, layer: Layer | None, info: StageInfo | None, empty: str) -> None:
        """info: the stage, which says what an edit is called here. empty: what is said while there is none."""
        edits = layer.edits if layer else ()
        name = layer.shown_name if layer else phrase("layer")
        counted = info.counted(len(edits)) if info is not None else phrase("%n mends", n=0)
        self.title.setText(tr("%1 on %2", counted, name))
        self.remove.setText(tr(info.take_out_label if info is not None else "Take this mend out"))
        self.empty.setText(tr(empty))
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
