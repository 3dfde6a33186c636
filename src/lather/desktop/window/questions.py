"""Questions that must be answered before Lather goes on: in whole sentences, with answers that say what they do."""

from PyQt6.QtWidgets import QMessageBox, QWidget

from lather.core.errors import ChangedOnDisk
from lather.core.job.member_names import readable_name
from lather.core.journal.journal import Leftover
from lather.core.phrases import phrase
from lather.desktop.texts import tr


def ask(parent: QWidget, text: str, answers: dict[str, str], *, otherwise: str) -> str:
    """The key of the answer that was chosen; `otherwise` for Esc. The first answer is the usual one."""
    box = QMessageBox(parent)
    box.setText(tr(text))
    buttons = {}
    for number, (key, label) in enumerate(answers.items()):
        role = QMessageBox.ButtonRole.AcceptRole if number == 0 else QMessageBox.ButtonRole.ActionRole
        if key == otherwise:
            role = QMessageBox.ButtonRole.RejectRole
        buttons[key] = box.addButton(tr(label), role)
    box.setDefaultButton(next(iter(buttons.values())))
    box.setEscapeButton(buttons[otherwise])
    box.exec()
    clicked = box.clickedButton()
    return next((key for key, button in buttons.items() if button is clicked), otherwise)


def ask_leftover(parent: QWidget, leftover: Leftover) -> str:
    """Of a job that a crash left: back, without, discard or stay."""
    steps = phrase("%n steps", n=leftover.steps, one="%n step")
    return ask(
        parent, phrase("“%1” was not closed properly: %2 made after the last save can be brought back.", leftover.title,
                       steps),
        {"back": "Bring them back", "without": "Open as it was saved", "discard": "Discard them", "stay": "Cancel"},
        otherwise="stay",
    )


def ask_conflict(parent: QWidget, error: ChangedOnDisk) -> str:
    """Of another save that lies where this one was to go: another, replace or stay."""
    name = readable_name(error.path.name)
    what = ("was saved by another window since it was opened here. Replacing it drops what was done there"
            if error.was_there else "is there already. Replacing it drops what is in it")
    return ask(parent, phrase("“%1” %2; the save before stays beside it as %1~1.", name, what),
               {"another": "Save under another name", "replace": "Replace it", "stay": "Cancel"}, otherwise="stay")
