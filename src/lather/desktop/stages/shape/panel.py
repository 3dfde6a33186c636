"""The box of Shape: what was moved, and the lines behind the person."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.core import lengths
from lather.core.job.limits import Band, band
from lather.core.phrases import phrase
from lather.core.stages.shape.guard import TIGHTEST
from lather.core.stages.shape.readout import BEND_LIMIT_PX, Bend, Moves
from lather.desktop import settings
from lather.desktop.stages.stage_panel import StagePanel
from lather.desktop.texts import tr
from lather.desktop.theme.style import font, restyle
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.elided_label import ElidedLabel
from lather.desktop.widgets.gauge import Gauge

_MOST_ROWS = 4
_ROW_PX, _BUTTON_ROW_PX = 18, 26
_TRACK_PERCENT = 5.0


class ShapePanel(StagePanel):
    """`line_held(Bend)`; `all_held()`."""

    line_held = pyqtSignal(object)
    all_held = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__("Moves", parent)
        self.largest = Gauge("Largest move", high=_TRACK_PERCENT)
        self.sides = Gauge("Left and right differ", high=2 * _TRACK_PERCENT)
        self.tightest = Gauge("Tightest place", high=1.2)
        self.texture = Gauge("Texture where moved", high=130.0)
        self.column.addWidget(self.largest)
        self.printed = self.add_note()
        self.column.addWidget(self.sides)
        self.column.addWidget(self.tightest)
        self.column.addWidget(self.texture)
        head = QHBoxLayout()
        title = QLabel(tr("Lines behind"))
        title.setFont(font(strong=True))
        self.count = QLabel()
        self.count.setObjectName("quiet")
        self.count.setFont(font(SMALL_PT))
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.count)
        self.column.addLayout(head)
        self._rows = QWidget()
        self._list = QVBoxLayout(self._rows)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(1)
        self._lines = [_LineRow(self.line_held.emit) for _ in range(_MOST_ROWS)]
        for row in self._lines:
            self._list.addWidget(row)
        self.column.addWidget(self._rows)
        self.hold_all = QPushButton(tr("Hold all lines"))
        self.hold_all.setObjectName("small")
        self.hold_all.setToolTip(tr("Keep every line found behind the person as straight as on the photo"))
        self.hold_all.clicked.connect(self.all_held)
        self.column.addWidget(self.hold_all)

    def show_moves(self, moves: Moves, job_kind: str | None, print_cm: float) -> None:
        limits = band(job_kind, "largest_move")
        self.largest.name = f"Largest, {moves.place}" if moves.place else "Largest move"
        percent = "" if moves.percent is None else f" · {moves.percent:.1f} %"
        self.largest.show_value(moves.percent or 0.0, phrase("%1 px%2", f"{moves.largest_px:.0f}", percent), limits)
        less = phrase(" · %1 held back: skin would fold", moves.held_back) if moves.held_back else ""
        unit = settings.value("length")
        self.printed.setText(tr("Printed %1 %2 long: %3%4", f"{lengths.shown(print_cm, unit):.0f}", unit,
                                lengths.small_text(moves.mm, unit), less))
        known = moves.sides is not None
        self.sides.setVisible(known)
        if known:
            most = max(moves.sides_before, 0.3) + 0.3
            self.sides.show_value(moves.sides, phrase("%1 % · photo %2 %", f"{moves.sides:.1f}",
                                                      f"{moves.sides_before:.1f}"),
                                  Band(0, most, "sides that differ more than on the photo look crooked"))
        self.tightest.show_value(moves.tightest, phrase("%1 · stops at %2", f"{moves.tightest:.2f}", f"{TIGHTEST:.2f}"),
                                 Band(2 * TIGHTEST, 1.2, "skin pressed together that far shows as smeared texture"))

        self.texture.setVisible(moves.texture is not None)
        if moves.texture is not None:
            self.texture.show_value(moves.texture, f"{moves.texture:.0f} %",
                                    Band(97, 108, "what was moved must not look softer than the skin beside it"))

    def show_lines(self, bends: tuple[Bend, ...], held: set[str], looking: bool) -> None:
        """held: names of lines that are kept straight."""
        straight = sum(not bend.over for bend in bends)
        found = phrase("%1 found, %2 straight", len(bends), straight) if bends else "none"
        self.count.setText(tr("looking …" if looking else found))
        worst = sorted(bends, key=lambda one: -one.px)[:_MOST_ROWS]
        for row, bend in zip(self._lines, [*worst, *[None] * _MOST_ROWS]):
            row.show_bend(bend, bend is not None and bend.name in held)
        self._rows.setVisible(bool(bends))
        self.hold_all.setVisible(bool(bends))
        self.hold_all.setEnabled(any(bend.name not in held for bend in bends))


class _LineRow(QWidget):
    """A line behind: its name, how far it is bent, and a button that holds it where that is too far."""

    def __init__(self, held, parent=None):
        super().__init__(parent)
        self._bend: Bend | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 1, 2, 1)
        row.setSpacing(4)
        self.name, self.value = ElidedLabel(), QLabel()
        self.hold = QPushButton(tr("Hold"))
        self.hold.setObjectName("small")
        self.hold.setStyleSheet("padding: 1px 6px;")
        self.hold.setFont(font(SMALL_PT))
        self.hold.setToolTip(tr("Bent by over %1 px: keep it straight", f"{BEND_LIMIT_PX:g}"))
        self.hold.clicked.connect(lambda: held(self._bend))
        row.addWidget(self.name, 1)
        row.addWidget(self.value)
        row.addWidget(self.hold)

    def show_bend(self, bend: Bend | None, held: bool) -> None:
        self._bend = bend
        self.setVisible(bend is not None)
        if bend is None:
            return
        self.name.setText(tr(bend.name))
        state = " · over" if bend.over else " · held" if held else ""
        self.value.setText(tr("%1 px%2", f"{bend.px:.1f}", state))
        for label in (self.name, self.value):
            label.setFont(font(SMALL_PT, strong=bend.over))
            restyle(label, f"color: {theme().over};" if bend.over else "")
        self.hold.setAccessibleName(phrase("Hold %1", bend.name))
        self.hold.setVisible(bend.over and not held)
        self.setFixedHeight(_BUTTON_ROW_PX if bend.over and not held else _ROW_PX)
