"""All keys, each rebound by pressing it; a clash is told before anything changes."""

import logging

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lather.core import log
from lather.core.errors import LatherError
from lather.core.phrases import joined, phrase
from lather.desktop.input import keys
from lather.desktop.input.keys import ACTIONS, BY_ID, TAKES_EVERY_KEY, KeyAction
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.frames import scrolled

_log = logging.getLogger(__name__)
_KEY_PX = 104
_BACK = Qt.Key.Key_Escape
_STANDS_ALONE = ("Ctrl+", "Alt+", "Shift+", "Meta+")


class KeyButton(QPushButton):
    """Shows a key; clicked, it waits for another one. `wanted(key)`, `given_up()`."""

    wanted = pyqtSignal(object)
    given_up = pyqtSignal()

    def __init__(self, action: KeyAction, parent=None):
        super().__init__(parent)
        self.action = action
        self.setFixedWidth(_KEY_PX)
        self.setObjectName("toggle")
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.toggled.connect(self._wait)
        self._shown = ""

    def show_key(self, key: str, *, clash: bool = False) -> None:
        self._shown = QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText) or "none"
        self.setText(f"{self._shown} !" if clash else self._shown)
        self.setStyleSheet(f"color: {theme().over};" if clash else "")
        self.setAccessibleName(phrase("Key for: %1", self.action.label))

    def _wait(self, waiting: bool) -> None:
        self.setProperty(TAKES_EVERY_KEY, waiting)
        self.setText(tr("press a key" if waiting else self._shown))
        if waiting:
            self.setFocus(Qt.FocusReason.OtherFocusReason)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab too is a key that can be bound."""
        return not self.isChecked() and super().focusNextPrevChild(forward)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.isChecked():
            super().keyPressEvent(event)
            return
        event.accept()
        if event.key() == _BACK and not event.modifiers():
            self.setChecked(False)
            self.given_up.emit()
            return
        key = keys.key_of(event)
        if key:
            self.setChecked(False)
            self.wanted.emit(key)

    def focusOutEvent(self, event) -> None:
        if self.isChecked():
            self.setChecked(False)
            self.given_up.emit()
        super().focusOutEvent(event)


class KeyList(QWidget):
    """`changed()` when another key is bound; `message(text)`."""

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.bindings = keys.load_bindings()
        self.buttons: dict[str, KeyButton] = {}
        self._rows: dict[str, QWidget] = {}
        self._asked: tuple[str, str] | None = None
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find a key or what it does"))
        self.search.setAccessibleName("Find a key")
        self.search.setClearButtonEnabled(True)
        self.usual = QPushButton(tr("All as suggested"))
        self.question = QLabel()
        self.question.setWordWrap(True)
        self.swap, self.leave = QPushButton(tr("Swap them")), QPushButton(tr("Leave them"))
        self._arrange()
        self.search.textChanged.connect(self._filter)
        self.usual.clicked.connect(self._all_as_suggested)
        self.swap.clicked.connect(self._swap)
        self.leave.clicked.connect(lambda: self._ask(None))
        self._ask(None)
        self.show_keys()

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.addWidget(self.search, 1)
        head.addWidget(self.usual)
        column.addLayout(head)
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 0, 6, 0)
        rows.setSpacing(2)
        for action in ACTIONS:
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            label = QLabel(tr(action.label))
            label.setWordWrap(True)
            line.addWidget(label, 1)
            if action.held:
                held = QLabel(tr("held"))
                held.setObjectName("quiet")
                held.setFont(font(SMALL_PT))
                line.addWidget(held)
            button = KeyButton(action)
            button.setToolTip(tr("Click, then press the key that is to do this; Esc leaves it"))
            button.wanted.connect(lambda key, action=action: self._wanted(action, key))
            button.clicked.connect(lambda _: self._ask(None))
            line.addWidget(button)
            rows.addWidget(row)
            self.buttons[action.id], self._rows[action.id] = button, row
        rows.addStretch(1)
        scroll = scrolled(inner, "Keys")
        inner.setObjectName("")  # on the ground of its card
        inner.setAutoFillBackground(False)
        scroll.viewport().setAutoFillBackground(False)
        column.addWidget(scroll, 1)
        self._question_row = QWidget()
        ask = QGridLayout(self._question_row)
        ask.setContentsMargins(0, 4, 0, 0)
        ask.addWidget(self.question, 0, 0, 1, 2)
        ask.addWidget(self.swap, 1, 0)
        ask.addWidget(self.leave, 1, 1)
        column.addWidget(self._question_row)

    def show_keys(self) -> None:
        for action_id, button in self.buttons.items():
            key = self.bindings[action_id]
            button.show_key(key, clash=bool(key and keys.clashes(self.bindings, action_id, key)))

    def _filter(self, text: str) -> None:
        wanted = text.strip().lower()
        for action_id, row in self._rows.items():
            row.setVisible(wanted in f"{BY_ID[action_id].label} {self.bindings[action_id]}".lower())

    def _wanted(self, action: KeyAction, key: str) -> None:
        if action.held and key.startswith(_STANDS_ALONE):
            self.message.emit("A key that is held stands alone: choose one without Ctrl, Alt or Shift.")
            return
        others = keys.clashes(self.bindings, action.id, key)
        if key == self.bindings[action.id]:
            return
        if others:
            self._ask((action.id, key))
            return
        self._bind(action.id, key)

    def _ask(self, asked: tuple[str, str] | None) -> None:
        self._asked = asked
        self._question_row.setVisible(asked is not None)
        if asked is not None:
            action_id, key = asked
            taken = joined((phrase("“%1”", BY_ID[one].label)
                            for one in keys.clashes(self.bindings, action_id, key)), " + ")
            self.question.setText(tr("%1 is the key for %2. Swapped, that gets %3.", key, taken,
                                     self.bindings[action_id]))

    def _swap(self) -> None:
        asked, self._asked = self._asked, None
        if asked is not None:
            self._ask(None)
            self._bind(*asked)

    def _bind(self, action_id: str, key: str) -> None:
        made = keys.with_key(self.bindings, action_id, key)
        held = [BY_ID[one] for one in made if made[one] != self.bindings[one]]
        wrong = next((one for one in held if one.held and made[one.id].startswith(_STANDS_ALONE)), None)
        if wrong is not None:
            self.message.emit(phrase("“%1” is held and needs a key alone; give it another one first.", wrong.label))
            return
        if self._keep(made):
            self.message.emit(phrase("%1: %2.", key, BY_ID[action_id].label))

    def _all_as_suggested(self) -> None:
        self._ask(None)
        if self._keep({action.id: action.key for action in ACTIONS}):
            self.message.emit("All keys are as suggested.")

    def _keep(self, bindings: dict[str, str]) -> bool:
        try:
            keys.store_bindings(bindings)
        except LatherError as error:
            self.message.emit(log.expected(_log, error))
            return False
        self.bindings = bindings
        self.show_keys()
        self.changed.emit()
        return True
