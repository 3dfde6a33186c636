"""Text fields that show a value and let it be written over."""

from PyQt6.QtWidgets import QLineEdit


def show_text(field: QLineEdit, text: str) -> None:
    """Show a value, unless somebody is typing there just now."""
    if not (field.hasFocus() and field.isModified()):
        field.setText(text)


def typed(field: QLineEdit) -> str:
    """What was typed, which is done with: what is shown next may take its place."""
    field.setModified(False)
    return field.text().strip()
