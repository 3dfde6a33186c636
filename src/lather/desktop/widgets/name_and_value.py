"""A name at the left and its value at the right of one line: the value is always whole, the name gives way."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter

from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT

_GAP_PX = 8.0


def name_width(value: str, width: float) -> float:
    """Room that is left for the name."""
    return max(0.0, width - QFontMetricsF(font(SMALL_PT, strong=True)).horizontalAdvance(value) - _GAP_PX)


def shown_name(name: str, value: str, width: float) -> str:
    """The name as it is drawn, shortened in the middle where it has to be."""
    return QFontMetricsF(font(SMALL_PT)).elidedText(tr(name), Qt.TextElideMode.ElideMiddle, name_width(value, width))


def draw_name_and_value(
    painter: QPainter, line: QRectF, name: str, value: str, value_colour: QColor | None = None
) -> None:
    """In the pen's colour; the value in its own where one is given."""
    painter.setFont(font(SMALL_PT))
    shown = shown_name(name, value, line.width())
    painter.drawText(line, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), shown)
    if value_colour is not None:
        painter.setPen(value_colour)
    painter.setFont(font(SMALL_PT, strong=True))
    painter.drawText(line, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), value)
