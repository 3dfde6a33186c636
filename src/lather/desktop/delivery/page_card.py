"""A page that goes along with a delivery: what it is, whether it is written, and where it went."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton

from lather.core.phrases import phrase
from lather.desktop.delivery.output_row import small
from lather.desktop.delivery.state_mark import DONE, FAILED, NONE, StateMark
from lather.desktop.texts import tr
from lather.desktop.theme.style import restyle
from lather.desktop.theme.tokens import theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import Card
from lather.desktop.widgets.switch import Switch


class PageCard(Card):
    """`switched(on)`, `wanted()` where it has a button of its own."""

    switched = pyqtSignal(bool)
    wanted = pyqtSignal()

    def __init__(self, title: str, what: str, *, on: bool | None = True, button: str = "", parent=None):
        super().__init__(parent=parent)
        head = self.add_head(title)
        self.switch = Switch(phrase("%1: write it", title), bool(on))
        self.switch.clicked.connect(self.switched)
        self.button = QPushButton(tr(button))
        self.button.setObjectName("toggle")
        self.button.clicked.connect(self.wanted)
        if on is not None:
            head.addWidget(self.switch)
        if button:
            head.addWidget(self.button)
        self.what = small(what)
        self.column.addWidget(self.what)
        line = QHBoxLayout()
        self.mark, self.words = StateMark(), ElidedLabel()
        line.addWidget(self.mark)
        line.addWidget(self.words, 1)
        self.column.addLayout(line)
        self.show_state(NONE)

    def show_state(self, state: str, words: str = "") -> None:
        self.mark.show_state(state)
        self.mark.setVisible(state != NONE)
        self.words.setText(tr(words))
        restyle(self.words, f"color: {theme().over};" if state == FAILED else "")

    @property
    def is_written(self) -> bool:
        return self.mark.state == DONE
