"""A click on a panel leaves the keys to the photo; by Tab every control is still reached."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QWidget


def leave_keys_to_the_photo(panel: QWidget) -> None:
    """Buttons and boxes inside `panel` take the focus by Tab only."""
    for kind in (QAbstractButton, QComboBox):
        for control in panel.findChildren(kind):
            control.setFocusPolicy(Qt.FocusPolicy.TabFocus)
