"""A page that goes along with a delivery: what it is, whether it is written, and where it went."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lather.desktop.delivery.output_row import small
from lather.desktop.delivery.state_mark import DONE, FAILED, NONE, StateMark
from lather.desktop.panels.elided_label import ElidedLabel
from lather.desktop.panels.switch import Switch
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme


class PageCard(QFrame):
    """`switched(on)`, `wanted()` where it has a button of its own."""

    switched = pyqtSignal(bool)
    wanted = pyqtSignal()

    def __init__(self, title: str, what: str, *, on: bool | None = True, button: str = "", parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self.setStyleSheet(f"#card {{ background: {theme().raised}; border: 1px solid {theme().line}; "
                           "border-radius: 6px; }")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(2)
        head = QHBoxLayout()
        name = QLabel(title)
        name.setFont(font(strong=True))
        head.addWidget(name, 1)
        self.switch = Switch(f"{title}: write it", bool(on))
        self.switch.clicked.connect(self.switched)
        self.button = QPushButton(button)
        self.button.setObjectName("toggle")
        self.button.clicked.connect(self.wanted)
        if on is not None:
            head.addWidget(self.switch)
        if button:
            head.addWidget(self.button)
        column.addLayout(head)
        self.what = small(what)
        column.addWidget(self.what)
        line = QHBoxLayout()
        self.mark, self.words = StateMark(), ElidedLabel()
        line.addWidget(self.mark)
        line.addWidget(self.words, 1)
        column.addLayout(line)
        self.show_state(NONE)

    def show_state(self, state: str, words: str = "") -> None:
        self.mark.show_state(state)
        self.mark.setVisible(state != NONE)
        self.words.setText(words)
        self.words.setStyleSheet(f"color: {theme().over};" if state == FAILED else "")

    @property
    def is_written(self) -> bool:
        return self.mark.state == DONE
