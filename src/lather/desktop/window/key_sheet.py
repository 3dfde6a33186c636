"""The key sheet, laid over the desk while its key is held."""

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter
from PyQt6.QtWidgets import QWidget

from lather.core.stages.registry import STAGES
from lather.desktop.input.keys import ACTIONS, load_bindings
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import BODY_PT, theme

_ALSO = (
    ("Wheel", "zoom at the pointer"), ("Shift while painting", "the original returns"),
    ("Middle button", "drag: move the picture"),
)

_LINE_PX = 27
_EDGE_PX, _GAP_PX, _COLUMN_GAP_PX, _LEAST_COLUMN_GAP_PX = 24, 10, 30, 24


class KeySheet(QWidget):
    """Three columns: held keys, and keys to press."""

    def __init__(self, parent: QWidget):
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName("Key sheet")
        self.boxes: list[tuple[QRectF, str]] = []
        self.hide()

    def lay_over(self) -> None:
        self.setGeometry(self.parentWidget().rect())
        self.raise_()
        self.show()

    def paintEvent(self, event) -> None:
        t, keys = theme(), load_bindings()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(20, 22, 24, 120))
        columns = self._columns(keys)
        room = self.width() - 4 * _EDGE_PX - _LEAST_COLUMN_GAP_PX * (len(columns) - 1)
        points = BODY_PT * min(1.0, room / sum(_widest(lines, n, BODY_PT) for _, lines in columns for n in (0, 1)))
        widths = [(_widest(lines, 0, points) + _GAP_PX, _widest(lines, 1, points)) for _, lines in columns]
        between = (self.width() - 4 * _EDGE_PX - sum(a + b for a, b in widths)) / (len(columns) - 1)
        between = min(_COLUMN_GAP_PX, between)
        whole = sum(a + b for a, b in widths) + between * (len(columns) - 1)
        box = QRectF(0, 0, whole + 2 * _EDGE_PX, 78 + _LINE_PX * max(len(lines) for _, lines in columns))
        box.moveCenter(QRectF(self.rect()).center())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.raised))
        painter.drawRoundedRect(box, 7, 7)
        left = box.x() + _EDGE_PX
        self.boxes = []  # where each key and each label stands, for the tests
        for (title, lines), (key_px, label_px) in zip(columns, widths):
            y = box.y() + 22
            painter.setPen(QColor(t.ink))
            painter.setFont(font(11, strong=True))
            painter.drawText(QRectF(left, y, 300, 22), Qt.AlignmentFlag.AlignLeft, tr(title))
            y += 34
            for key, label in lines:
                places = QRectF(left, y, key_px, 22), QRectF(left + key_px, y, label_px, 22)
                for place, text, strong, colour in ((places[0], key, True, t.accent), (places[1], label, False, t.ink)):
                    painter.setFont(font(points, strong=strong))
                    painter.setPen(QColor(colour))
                    painter.drawText(place, Qt.AlignmentFlag.AlignLeft, text)
                    self.boxes.append((place, text))
                y += _LINE_PX
            left += key_px + label_px + between

    @staticmethod
    def _columns(keys: dict[str, str]) -> list[tuple[str, list[tuple[str, str]]]]:
        numbers = [keys[f"stage_{info.number}"] for info in STAGES]
        pressed = [(keys[a.id], tr(a.label)) for a in ACTIONS if not a.held and not a.id.startswith("stage_")]
        pressed.append((" ".join(numbers), tr("go to a stage")))
        half = (len(pressed) + 1) // 2
        held = [(keys[a.id], tr(a.label)) for a in ACTIONS if a.held] + [(tr(one), tr(does)) for one, does in _ALSO]
        return [("Hold", held), ("Press", pressed[:half]), ("", pressed[half:])]


def _widest(lines: list[tuple[str, str]], part: int, points: float) -> float:
    """Width of the longest key (0) or label (1)."""
    metrics = QFontMetricsF(font(points, strong=part == 0))
    return max(metrics.horizontalAdvance(line[part]) for line in lines) + 2
