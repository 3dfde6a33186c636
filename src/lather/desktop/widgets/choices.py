"""A row of choices of which one is taken."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QPushButton, QSizePolicy

from lather.desktop.texts import tr
from lather.desktop.theme.style import font

_AROUND_PX = 15  # what is taken stands in bold and must not be cut


class Choices(QFrame):
    """`chosen(key)` when the person takes another one."""

    chosen = pyqtSignal(str)

    def __init__(self, name: str, options: dict[str, str], value: str, parent=None):
        super().__init__(parent)
        self.setObjectName("choices")
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self._name = name
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(2, 2, 2, 2)
        self._row.setSpacing(0)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QPushButton] = {}
        self.options: dict[str, str] = {}
        self.set_options(options, value)

    def set_options(self, options: dict[str, str], value: str = "") -> None:
        """Other choices; the one that was taken stays taken where it is among them. value: takes this one."""
        taken = value or (self.value if self._buttons else "")
        for button in self._buttons.values():
            self._group.removeButton(button)
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.options, self._buttons = dict(options), {}
        for key, label in options.items():
            button = QPushButton(tr(label))
            button.setObjectName("choice")
            button.setCheckable(True)
            button.setAccessibleName(f"{self._name}: {label}")
            button.setMinimumWidth(QFontMetrics(font(strong=True)).horizontalAdvance(label) + _AROUND_PX)
            button.clicked.connect(lambda _, key=key: self.chosen.emit(key))
            self._group.addButton(button)
            self._buttons[key] = button
            self._row.addWidget(button)
        (self._buttons.get(taken) or next(iter(self._buttons.values()))).setChecked(True)

    @property
    def value(self) -> str:
        return next(key for key, button in self._buttons.items() if button.isChecked())

    def set_value(self, key: str) -> None:
        self._buttons[key].setChecked(True)

    def button(self, key: str) -> QPushButton:
        return self._buttons[key]

    def set_enabled(self, key: str, enabled: bool) -> None:
        self._buttons[key].setEnabled(enabled)
