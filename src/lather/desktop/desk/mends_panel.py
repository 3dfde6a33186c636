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
    """`picked(strokes)`: take them in hand. `removed()`: take those out."""

    picked = pyqtSignal(object)
    removed = pyqtSignal()

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
        self.list.setSelectionMode(CropList.SelectionMode.ExtendedSelection)
        self._by_hand = True
        self.list.selectionModel().selectionChanged.connect(self._selected)
        column.addWidget(self.list, 1)
        self.remove = QPushButton(tr("Take this mend out"))
        self.remove.setToolTip(tr("The skin underneath returns; undo brings the mend back"))
        self.remove.clicked.connect(self.removed)
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
        self._by_hand = False  # rows that move are nobody's choice
        self._model.show(edits)
        self._by_hand = True
        self.empty.setVisible(not edits)
        self.list.setVisible(bool(edits))
        self.remove.setVisible(bool(edits))
        self.remove.setEnabled(bool(self.chosen()))

    def chosen(self) -> list[Stroke]:
        rows = sorted(index.row() for index in self.list.selectionModel().selectedIndexes())
        return [self._model.edits[row] for row in rows]

    def show_in_hand(self, ids: set[str]) -> None:
        """Mark the edits that are in hand, the first of them in sight."""
        if {edit.id for edit in self.chosen()} == ids:
            return
        self._by_hand = False
        model = self.list.selectionModel()
        model.clearSelection()
        rows = [row for row, edit in enumerate(self._model.edits) if edit.id in ids]
        for row in rows:
            model.select(self._model.index(row, 0), model.SelectionFlag.Select)
        if rows:
            self.list.scrollTo(self._model.index(rows[0], 0))
        self._by_hand = True
        self.remove.setEnabled(bool(rows))

    def _selected(self, *_) -> None:
        edits = self.chosen()
        self.remove.setEnabled(bool(edits))
        if self._by_hand:
            self.picked.emit(edits)
