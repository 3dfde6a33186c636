"""One thing that needs a look: the mark on both frames, what is known of it, and what can be done."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lather.core.phrases import phrase
from lather.core.sitting.carry_report import Look
from lather.desktop.sitting.control import KEEP, LEAVE, MEND
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.frames import Card

_CROP_PX = 44


class LookRow(Card):
    """`answered(number, answer)`; `chosen(number)` on a click anywhere else."""

    answered = pyqtSignal(int, str)
    chosen = pyqtSignal(int)

    def __init__(self, number: int, look: Look, crops: tuple[QImage | None, QImage | None], current: bool, parent=None):
        super().__init__(edge=theme().accent if current else "", margins=(8, 6, 8, 6), parent=parent)
        self.number = number
        row = QHBoxLayout()
        row.setSpacing(8)
        count = QLabel(str(number + 1))
        count.setFont(font(strong=True))
        row.addWidget(count)
        for crop in crops:
            if crop is not None:
                picture = QLabel()
                picture.setFixedSize(_CROP_PX, _CROP_PX)
                picture.setPixmap(QPixmap.fromImage(crop))
                row.addWidget(picture)
        words = QVBoxLayout()
        words.setSpacing(1)
        name, why = ElidedLabel(), ElidedLabel()
        name.setText(tr(look.name))
        name.setFont(font(strong=True))
        why.setText(tr(look.why))
        why.setToolTip(tr(look.why))
        why.setObjectName("quiet")
        why.setFont(font(SMALL_PT))
        words.addWidget(name)
        words.addWidget(why)
        row.addLayout(words, 1)
        self.buttons: dict[str, QPushButton] = {}
        for answer, label, hint in ((KEEP, "Keep", "R"), (MEND, "Mend", "E"), (LEAVE, "Leave", "T")):
            if answer != LEAVE and not look.find:
                continue
            button = QPushButton(f"{tr(label)} {hint}" if current else tr(label))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _, answer=answer: self.answered.emit(self.number, answer))
            self.buttons[answer] = button
            row.addWidget(button)
        self.column.addLayout(row)
        self.setAccessibleName(phrase("Look %1: %2, %3", number + 1, look.name, look.why))

    def mousePressEvent(self, event) -> None:
        self.chosen.emit(self.number)
