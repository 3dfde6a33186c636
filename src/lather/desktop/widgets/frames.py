"""What screens and panels are put into: columns at the side, cards, lists that scroll, lines between."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme


def panel(width: int) -> QWidget:
    """A column at the side of a screen, px wide."""
    widget = QWidget()
    widget.setObjectName("panel")
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    widget.setFixedWidth(width)
    return widget


def rule() -> QFrame:
    line = QFrame()
    line.setObjectName("rule")
    return line


def filled(screen: QWidget) -> tuple[QVBoxLayout, QHBoxLayout]:
    """(column, row) that fill a screen to its edges: the row takes the room, what is added to the column is below."""
    whole = QVBoxLayout(screen)
    whole.setContentsMargins(0, 0, 0, 0)
    whole.setSpacing(0)
    row = QHBoxLayout()
    row.setSpacing(0)
    whole.addLayout(row, 1)
    return whole, row


def bar(margin: int, spacing: int) -> tuple[QWidget, QHBoxLayout]:
    """A raised bar over the whole width, and the row in it."""
    widget = QWidget()
    widget.setObjectName("raised")
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    row = QHBoxLayout(widget)
    row.setContentsMargins(margin, 9, margin, 9)
    row.setSpacing(spacing)
    return widget, row


def scrolled(inner: QWidget, name: str = "", *, by_keys: bool = False) -> QScrollArea:
    """A widget that scrolls where it is too high. name: for those who cannot see it. by_keys: by arrows too."""
    inner.setObjectName("panel")
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    if not by_keys:
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    if name:
        scroll.setAccessibleName(name)
    scroll.setWidget(inner)
    return scroll


class Card(QFrame):
    """A raised box with a thin edge; `column` goes down in it."""

    def __init__(self, *, edge: str = "", margins: tuple[int, int, int, int] = (12, 8, 12, 8), parent=None):
        super().__init__(parent)
        self.setObjectName("card")
        self.setStyleSheet(f"#card {{ background: {theme().raised}; border: 1px solid {edge or theme().line}; "
                           "border-radius: 6px; }")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(*margins)
        self.column.setSpacing(2)

    def add_head(self, title: str) -> QHBoxLayout:
        """The title in bold; what is added to the row stands at its right."""
        head = QHBoxLayout()
        name = QLabel(tr(title))
        name.setFont(font(strong=True))
        head.addWidget(name, 1)
        self.column.addLayout(head)
        return head
