"""Keys as data: what each does, the suggested key, whether it is held. Rebound in keys.json of the settings."""

import os
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QWidget

from lather.core.errors import SaveError
from lather.core.job.model import STAGE_IDS
from lather.core.phrases import phrase, worded
from lather.core.strict_json import read_own, refused, write_own
from lather.desktop.input.heard import Heard


@dataclass(frozen=True)
class KeyAction:
    """id, the key as Qt writes it, what it does, whether it works only while held."""

    id: str
    key: str
    label: str
    held: bool = False

    def __post_init__(self):
        worded(self, "label")


ACTIONS = (
    KeyAction("take_source", "A", "touch: take the source; drag: align by line", True),
    KeyAction("drag_size", "S", "drag: size and edge; tap: as measured here", True),
    KeyAction("drag_ceiling", "D", "drag: ceiling sideways, flow up and down", True),
    KeyAction("also_parts", "U", "this stroke also on lips, eyes, brows, hair and keepers", True),
    KeyAction("before", "Tab", "see the photo as it came", True),
    KeyAction("move", "Space", "drag: move the picture", True),
    KeyAction("key_sheet", "H", "show this sheet", True),
    KeyAction("previous_find", "Q", "previous find"),
    KeyAction("next_find", "W", "next find"),
    KeyAction("mend_find", "E", "mend this find; the next one follows"),
    KeyAction("keep_find", "R", "keep it, go to the next"),
    KeyAction("skip_find", "T", "skip it, go to the next"),
    KeyAction("next_source", "F", "other skin for the last mend; area, or measuring, again"),
    KeyAction("other_card", "G", "the other brush card"),
    KeyAction("fit", "Y", "whole picture / 100 %"),
    KeyAction("lay_down", "Return", "lay the graft down; from the Brief to the desk"),
    KeyAction("next_tool", "B", "next tool"),
    KeyAction("arrow", "J", "the arrow: take mends, strokes and outlines in hand / back to the tool"),
    KeyAction("marks", "K", "marks of finds and keepers on the photo: hide / show"),
    KeyAction("second", "L", "a second window for the photo: open / close"),
    KeyAction("take_out", "Del", "take out what is in hand"),
    KeyAction("fold", "X", "fold the panels away / back"),
    KeyAction("smaller", "I", "smaller brush, a step"),
    KeyAction("larger", "O", "larger brush, a step"),
    KeyAction("lower_ceiling", "Shift+I", "lower ceiling, a step"),
    KeyAction("higher_ceiling", "Shift+O", "higher ceiling, a step"),
    KeyAction("undo", "Z", "undo"),
    KeyAction("redo", "Shift+Z", "redo"),
    KeyAction("undo_desktop", "Ctrl+Z", "undo"),
    KeyAction("redo_desktop", "Ctrl+Shift+Z", "redo"),
    KeyAction("save", "Ctrl+S", "save the job"),
    KeyAction("save_as", "Ctrl+Shift+S", "save the job under another name"),
    KeyAction("open", "Ctrl+O", "open a photo or a job"),
    KeyAction("brief", "Ctrl+B", "go to the Brief"),
    KeyAction("desk", "Ctrl+D", "go to the Desk"),
    KeyAction("review", "Ctrl+R", "go to Review"),
    KeyAction("deliver", "Ctrl+E", "go to Deliver"),
    KeyAction("logbook", "Ctrl+L", "go to the Logbook"),
    KeyAction("practice", "Ctrl+P", "go to the practice room"),
    KeyAction("sitting", "Ctrl+T", "go to the sitting, or open one"),
    KeyAction("pause", "P", "pause the clock / go on"),
    KeyAction("handbook", "F1", "open the handbook, where you are"),
    KeyAction("settings", "Ctrl+,", "go to the settings"),
    KeyAction("quit", "Ctrl+Q", "close Lather"),
    KeyAction("rename_layer", "F2", "rename the layer in hand"),
    KeyAction("back", "Esc", "back to the photo, give up a stroke"),
    KeyAction("turn_mask", "N", "turn the mask round"),
    KeyAction("show_mask", "M", "show the mask / hide it"),
    KeyAction("next_lamp", "C", "next lamp"),
    KeyAction("no_lamp", "V", "no lamp: the picture plain"),
    *(KeyAction(f"stage_{number}", str(number % 10), phrase("stage %1", stage_id.capitalize()))
      for number, stage_id in enumerate(STAGE_IDS, 1)),
)


BY_ID = {action.id: action for action in ACTIONS}

TAKES_COMMANDS = "takes_commands"
"""Property of widgets on which a key alone is a command."""
TAKES_EVERY_KEY = "takes_every_key"
"""Property of widgets to which every key goes as it is, because it is to be bound."""


def settings_folder() -> Path:
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "lather"


def read_json(path: Path) -> dict:
    """A small file of ours, not to be changed in place; {} where it is none. Read again only once it has changed: hints
    and the pointer ask for keys at every move.
    """
    try:
        state = path.stat()
    except OSError:
        return {}
    return _parsed(path, (state.st_mtime_ns, state.st_size, state.st_ino))


@lru_cache(maxsize=8)
def _parsed(path: Path, _state: tuple) -> dict:
    return read_own(path)


def load_bindings() -> dict[str, str]:
    """{action id: key}; the person's own keys.json wins, an unreadable one is ignored."""
    own = read_json(settings_folder() / "keys.json")
    bindings = {action.id: action.key for action in ACTIONS}
    return bindings | {key: str(value) for key, value in own.items() if key in bindings}


def store_bindings(bindings: Mapping[str, str]) -> None:
    """Keep those that are not as suggested. Raises SaveError."""
    own = {action.id: bindings[action.id] for action in ACTIONS if bindings[action.id] != action.key}
    path = settings_folder() / "keys.json"
    with refused(lambda why: SaveError(phrase("%1 cannot be written (%2); the keys stay as they were.", path, why))):
        write_own(path, own)


def with_key(bindings: Mapping[str, str], action_id: str, key: str) -> dict[str, str]:
    """One more bound key; what had it takes the key that is free now, so that nothing is left without one."""
    made = dict(bindings)
    for other in clashes(bindings, action_id, key):
        made[other] = bindings[action_id]
    return made | {action_id: key}


def clashes(bindings: Mapping[str, str], action_id: str, key: str) -> list[str]:
    """Ids of the other actions that have a key."""
    wanted = QKeySequence(key)
    return [other for other, held in bindings.items() if other != action_id and QKeySequence(held) == wanted]


def key_of(event: QKeyEvent) -> str:
    """The key of an event as bindings write it; "" for Shift, Ctrl and the like alone."""
    alone = (Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt, Qt.Key.Key_AltGr, Qt.Key.Key_Meta,
             Qt.Key.Key_unknown, Qt.Key.Key_CapsLock, Qt.Key.Key_NumLock)
    if event.key() in alone:
        return ""
    return QKeySequence(event.keyCombination()).toString(QKeySequence.SequenceFormat.PortableText)


_NAMED = re.compile(r"\{(\w+)\}")


def keyed(text: str) -> str:
    """A sentence with the keys as they are bound: `{mend_find} mends this find` gives `E mends this find`."""
    if "{" not in text:
        return text
    bindings = load_bindings()
    return _NAMED.sub(lambda found: bindings.get(found[1], found[0]), text)


class KeyFilter(Heard):
    """Listens to the window. `pressed(id)`, and `released(id)` for held ones.

    While something is typed no key is a command. A key alone is one only while the photo, a list or a screen itself has
    the focus (widgets with the property `takes_commands`); Tab and Space only on the photo.
    """

    pressed = pyqtSignal(str)
    released = pyqtSignal(str)

    def __init__(self, window: QWidget):
        super().__init__(window)
        self.held: set[str] = set()
        self._by_key: dict = {}
        self.load()
        self.hear()

    def load(self) -> None:
        """The keys as they are bound now."""
        self._by_key = {}
        for action_id, key in load_bindings().items():
            sequence = QKeySequence(key)
            if not sequence.isEmpty():
                self._by_key[sequence[0]] = (action_id, BY_ID[action_id].held)

    def eventFilter(self, target: QObject, event: QEvent) -> bool:
        window = self.heard_window
        if window is None:
            return False
        if target is window and event.type() == QEvent.Type.WindowDeactivate:
            for action_id in list(self.held):
                self._release(action_id)
            return False
        if not isinstance(event, QKeyEvent) or not isinstance(target, QWidget):
            return False
        if event.type() not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            return False
        if target.window() is not window or target.property(TAKES_EVERY_KEY):
            return False
        return self._key(target, event)

    def _key(self, target: QWidget, event: QKeyEvent) -> bool:
        found = self._by_key.get(event.keyCombination())
        if found is None and event.type() == QEvent.Type.KeyRelease:
            # a modifier may have changed while the key was held
            found = next((v for k, v in self._by_key.items() if k.key() == event.key() and v[0] in self.held), None)
        if found is None:
            return False
        action_id, is_held = found
        focus = QApplication.focusWidget()
        if event.type() == QEvent.Type.KeyPress and not self._is_command(event, focus):
            return False
        if event.isAutoRepeat():
            if not is_held and action_id.startswith(("undo", "redo")) and event.type() == QEvent.Type.KeyPress:
                self.pressed.emit(action_id)
            return True
        if event.type() == QEvent.Type.KeyPress:
            if is_held:
                self.held.add(action_id)
            self.pressed.emit(action_id)
        elif is_held:
            self._release(action_id)
        return True

    def _release(self, action_id: str) -> None:
        if action_id in self.held:
            self.held.discard(action_id)
            self.released.emit(action_id)

    @staticmethod
    def _is_command(event: QKeyEvent, focus: QWidget | None) -> bool:
        if Qt.Key.Key_F1 <= event.key() <= Qt.Key.Key_F35:  # nothing is typed with them
            return True
        if isinstance(focus, QLineEdit | QAbstractSpinBox):
            return False
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier or event.key() == Qt.Key.Key_Escape:
            return True
        if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Space):
            return focus is None or focus.accessibleName() in ("Photo", "Lather")
        return focus is None or focus.accessibleName() == "Lather" or bool(focus.property(TAKES_COMMANDS))
