"""What the boxes of all stages share."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT
from lather.desktop.widgets.switch import Switch


class StagePanel(QWidget):
    """The box of a stage under its layers: a title, sliders, switches, a note."""

    def __init__(self, title: str, parent=None):
        super().__init__(parent)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        label = QLabel(tr(title))
        label.setFont(font(strong=True))
        self.column.addWidget(label)

    def add_switch(self, text: str, tip: str, on: bool, row: QHBoxLayout | None = None) -> Switch:
        """A switch with its label; `row`: beside others."""
        if row is None:
            row = QHBoxLayout()
            self.column.addLayout(row)
        row.setSpacing(4)
        switch = Switch(text, on)
        switch.setToolTip(tr(tip))
        label = QLabel(tr(text))
        label.setFont(font(SMALL_PT))
        row.addWidget(switch)
        row.addWidget(label)
        row.addStretch(1)
        return switch

    def add_note(self) -> QLabel:
        note = QLabel()
        note.setObjectName("quiet")
        note.setFont(font(SMALL_PT))
        note.setWordWrap(True)
        self.column.addWidget(note)
        return note
