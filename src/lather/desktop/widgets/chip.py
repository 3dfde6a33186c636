"""A small button that says what holds, and opens the other answers."""

from collections.abc import Mapping

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QPushButton

from lather.core.phrases import joined
from lather.desktop.texts import tr


class AnswerChip(QPushButton):
    """`answered(key)`. answers: {key: (what is said, what it allows)}."""

    answered = pyqtSignal(str)

    def __init__(self, name: str, answers: Mapping[str, tuple[str, str]], parent=None):
        super().__init__(parent)
        self.name, self._answers, self.value = name, answers, ""
        self.setObjectName("chip")
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for key, (says, allows) in answers.items():
            action = menu.addAction(tr(says), lambda key=key: self.answered.emit(key))
            action.setToolTip(tr(allows))
        self.setMenu(menu)

    def show_answer(self, key: str) -> None:
        self.value = key
        says, allows = self._answers[key]
        self.setText(tr(says))
        self.setToolTip(tr(joined([self.name, allows], ": ")))
        self.setAccessibleName(f"{self.name}: {says}")

    def choose(self, key: str) -> None:
        """As if its entry in the menu were taken."""
        list(self.menu().actions())[list(self._answers).index(key)].trigger()
