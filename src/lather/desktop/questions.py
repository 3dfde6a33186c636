"""Questions that must be answered before Lather goes on: in whole sentences, with answers that say what they do."""

from PyQt6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, text: str, answers: dict[str, str], *, otherwise: str) -> str:
    """The key of the answer that was chosen; `otherwise` for Esc. The first answer is the usual one."""
    box = QMessageBox(parent)
    box.setText(text)
    buttons = {}
    for number, (key, label) in enumerate(answers.items()):
        role = QMessageBox.ButtonRole.AcceptRole if number == 0 else QMessageBox.ButtonRole.ActionRole
        if key == otherwise:
            role = QMessageBox.ButtonRole.RejectRole
        buttons[key] = box.addButton(label, role)
    box.setDefaultButton(next(iter(buttons.values())))
    box.setEscapeButton(buttons[otherwise])
    box.exec()
    clicked = box.clickedButton()
    return next((key for key, button in buttons.items() if button is clicked), otherwise)
