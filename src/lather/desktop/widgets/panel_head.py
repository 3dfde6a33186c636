"""The first line of a box in the right panel."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel

from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT


def panel_head(name: str, beside: str = "", small: bool = False) -> tuple[QHBoxLayout, QLabel]:
    """Its name, and something quiet at the right; returns the line, and the label at the right to write into."""
    line = QHBoxLayout()
    title = QLabel(tr(name))
    title.setFont(font(strong=True))
    quiet = QLabel(tr(beside))
    quiet.setObjectName("quiet")
    if small:
        quiet.setFont(font(SMALL_PT))
    line.addWidget(title)
    line.addStretch(1)
    line.addWidget(quiet)
    return line, quiet
