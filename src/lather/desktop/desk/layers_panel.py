"""The layers of the stage: switch, name, strength; order; a new one, or one less."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lather.core.job.model import Layer, Stage
from lather.core.phrases import phrase
from lather.desktop.texts import tr
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.switch import Switch
from lather.desktop.widgets.value_slider import ValueSlider

_ROW_PX = 28


class NameEdit(QLineEdit):
    """A name being typed: Return takes it, Esc leaves the old one."""

    given_up = pyqtSignal()

    def __init__(self, text: str, parent=None):
        super().__init__(text, parent)
        self.setMaxLength(200)
        self.setAccessibleName("Name of the layer")

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.given_up.emit()
        else:
            super().keyPressEvent(event)


class LayerRow(QFrame):
    """One layer. A click takes it in hand, a double click on the name renames it; `named()` when that is over."""

    taken = pyqtSignal(str)
    switched = pyqtSignal(str, bool)
    renamed = pyqtSignal(str, str)
    named = pyqtSignal()

    def __init__(self, layer: Layer, current: bool, parent=None):
        super().__init__(parent)
        self.layer = layer
        t = theme()
        tint = t.accent_tint if current else "transparent"
        self.setStyleSheet(f"LayerRow {{ background: {tint}; border-radius: 5px; }}")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(phrase("Layer %1%2", layer.name, phrase(", in hand") if current else ""))
        row = QHBoxLayout(self)
        row.setContentsMargins(5, 2, 8, 2)
        self.setMinimumHeight(_ROW_PX)
        row.setSpacing(6)
        self.switch = Switch(phrase("%1 on", layer.name), layer.on)
        self.switch.clicked.connect(lambda on: self.switched.emit(layer.id, on))
        row.addWidget(self.switch)
        self.name = ElidedLabel(layer.shown_name)
        self.name.setFont(font(strong=current))
        row.addWidget(self.name, 1)
        self.edit = NameEdit(layer.name)
        self.edit.hide()
        self.edit.editingFinished.connect(self._rename)
        self.edit.given_up.connect(self._end_renaming)
        row.addWidget(self.edit, 1)
        self.strength = QLabel()
        self.strength.setFont(font(strong=True))
        row.addWidget(self.strength)
        self.show_layer(layer)

    def show_layer(self, layer: Layer) -> None:
        self.layer = layer
        self.switch.setChecked(layer.on)
        self.strength.setText(f"{layer.strength * 100:.0f} %")
        self.name.set_tip(phrase("%n edits. F2 or a double click renames it.", n=len(layer.edits),
                                one="%n edit. F2 or a double click renames it."))

    def mousePressEvent(self, event) -> None:
        self.taken.emit(self.layer.id)

    def mouseDoubleClickEvent(self, event) -> None:
        self.start_renaming()

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.layer.id)
        elif event.key() == Qt.Key.Key_F2:
            self.start_renaming()
        else:
            super().keyPressEvent(event)

    def start_renaming(self) -> None:
        self.edit.setText(self.layer.name)
        self.name.hide()
        self.edit.show()
        self.edit.setFocus()
        self.edit.selectAll()

    def _end_renaming(self) -> None:
        self.edit.hide()
        self.name.show()
        self.named.emit()

    def _rename(self) -> None:
        if self.edit.isHidden():
            return
        text = self.edit.text().strip()
        self._end_renaming()
        if text and text != self.layer.name:
            self.renamed.emit(self.layer.id, text)


class LayersPanel(QWidget):
    """Top layer first. Signals carry the layer's id; `stage_changed(field, value, dragging)` is for the whole stage."""

    taken = pyqtSignal(str)
    changed = pyqtSignal(str, str, object, bool)
    moved = pyqtSignal(str, int)
    removed = pyqtSignal(str)
    added = pyqtSignal()
    named = pyqtSignal()
    stage_changed = pyqtSignal(str, object, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        head = QHBoxLayout()
        self.title = QLabel(tr("Layers in Mend"))
        self.title.setObjectName("title")
        self.title.setFont(font(strong=True))
        head.addWidget(self.title)
        head.addStretch(1)
        add = QPushButton(tr("+ layer"))
        add.setObjectName("flat")
        add.setToolTip(tr("A new layer above the one in hand"))
        add.clicked.connect(self.added)
        self.add_button = add
        head.addWidget(add)
        self._column.addLayout(head)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(2)
        self._column.addLayout(self._rows)
        self.empty = QLabel(tr("None yet: the first stroke makes one."))
        self.empty.setObjectName("quiet")
        self._column.addWidget(self.empty)
        self.rows: list[LayerRow] = []
        self.strength = ValueSlider("Strength of the layer in hand", 0, 100, 100)
        self._column.addSpacing(4)
        self._column.addWidget(self.strength)
        self.strength.changed.connect(lambda v, d: self.changed.emit(self._current, "strength", v / 100, d))
        tools = QHBoxLayout()
        tools.setSpacing(6)
        self.up = self._button("up", "Move the layer in hand up", lambda: self._move(1))
        self.down = self._button("down", "Move the layer in hand down", lambda: self._move(-1))
        self.remove = self._button("trash", "Remove the layer in hand with all that is on it",
                                   lambda: self.removed.emit(self._current))
        for button in (self.up, self.down, self.remove):
            tools.addWidget(button)
        tools.addStretch(1)
        self._column.addLayout(tools)
        self._column.addLayout(self._stage_row())
        self._current = ""
        self._stage: Stage | None = None
        self._shown = None

    def _stage_row(self) -> QHBoxLayout:
        """The stage as a whole: its switch, and its strength beside it."""
        row = QHBoxLayout()
        row.setSpacing(6)
        self.stage_on = Switch("Stage on")
        self.stage_on.clicked.connect(lambda on: self.stage_changed.emit("on", on, False))
        self.stage_strength = ValueSlider("Whole stage", 0, 100, 100)
        self.stage_strength.changed.connect(lambda v, d: self.stage_changed.emit("strength", v / 100, d))
        row.addWidget(self.stage_on)
        row.addWidget(self.stage_strength, 1)
        return row

    def rename(self, layer_id: str) -> None:
        """Let the person type a layer's name."""
        row = next((row for row in self.rows if row.layer.id == layer_id), None)
        if row is not None:
            row.start_renaming()

    def _button(self, name: str, label: str, action) -> QPushButton:
        button = QPushButton()
        button.setIcon(icon(name, theme().ink, 18))
        button.setIconSize(QSize(18, 18))
        button.setObjectName("flat")
        button.setFixedSize(30, 28)
        button.setToolTip(tr(label))
        button.setAccessibleName(label)
        button.clicked.connect(action)
        return button

    def _move(self, by: int) -> None:
        index = self._stage.index(self._current) + by
        if 0 <= index < len(self._stage.layers):
            self.moved.emit(self._current, index)

    def show_stage(self, stage: Stage, current: str, label: str = "Mend") -> None:
        self._stage, self._current = stage, current
        self.title.setText(tr("Layers in %1", label))
        self.stage_on.setChecked(stage.on)
        self.stage_on.setAccessibleName(phrase("%1 on", label))
        self.stage_on.setToolTip(tr("Switch all of %1 off and on", label))
        self.stage_strength.set_value(stage.strength * 100, fine=True)
        self.stage_strength.setEnabled(stage.on)
        self.empty.setVisible(not stage.layers)
        self.strength.setVisible(bool(stage.layers))
        for button in (self.up, self.down, self.remove):
            button.setVisible(bool(stage.layers))
        layer = next((x for x in stage.layers if x.id == current), None)
        self.strength.setEnabled(layer is not None)
        self.remove.setEnabled(layer is not None and (len(stage.layers) > 1 or stage.id != "mend"))
        if layer is not None:
            self.strength.set_value(layer.strength * 100, fine=True)
            self.up.setEnabled(stage.index(current) < len(stage.layers) - 1)
            self.down.setEnabled(stage.index(current) > 0)
        shown = (current, [(x.id, x.name) for x in stage.layers])
        if shown == self._shown:
            for row in self.rows:
                row.show_layer(stage.layer(row.layer.id))
            return
        self._shown = shown
        for row in self.rows:
            self._rows.removeWidget(row)
            row.hide()
            row.deleteLater()
        self.rows = []
        for layer in reversed(stage.layers):
            row = LayerRow(layer, layer.id == current)
            row.taken.connect(self.taken)
            row.switched.connect(lambda layer_id, on: self.changed.emit(layer_id, "on", on, False))
            row.named.connect(self.named)
            row.renamed.connect(lambda layer_id, name: self.changed.emit(layer_id, "name", name, False))
            self.rows.append(row)
            self._rows.addWidget(row)
            row.setVisible(True)  # else Qt shows it, and makes room for it, only a turn of the loop later
