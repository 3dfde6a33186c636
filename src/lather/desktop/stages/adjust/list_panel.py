"""The adjustments of a stage as a list: which are in use, and what each does."""

from collections.abc import Iterable

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from lather.core.job.model import Stage
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.desktop.texts import tr
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.panel_head import panel_head

_ROW_PX, _LOW_ROW_PX, _ICON_PX = 38, 26, 20
NOT_USED = "not used"


class AdjustmentRow(QAbstractButton):
    """Icon, name, and a quiet line."""

    def __init__(self, name: str, icon_name: str, tip: str, parent=None):
        super().__init__(parent)
        self.name, self.icon_name, self.says, self.used, self.current = name, icon_name, NOT_USED, False, False
        self.setToolTip(tr(tip))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_ROW_PX)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(190, _ROW_PX)

    def set_low(self, low: bool) -> None:
        """One line only, where there is little room."""
        self.setFixedHeight(_LOW_ROW_PX if low else _ROW_PX)
        self.update()

    def show_state(self, says: str, used: bool, current: bool) -> None:
        self.says, self.used, self.current = says, used, current
        self.setAccessibleName(f"{self.name}: {says}{', in hand' if current else ''}")
        self.update()

    def paintEvent(self, event) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.current or self.hasFocus():
            painter.setBrush(QColor(t.accent_tint) if self.current else Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.ink if self.hasFocus() else t.accent), 1.3))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        drawn = icon(self.icon_name, t.accent if self.used else t.quiet_ink, _ICON_PX)
        low = self.height() < _ROW_PX
        drawn.paint(painter, 9, (self.height() - _ICON_PX) // 2, _ICON_PX, _ICON_PX)
        left, room = 38, self.width() - 44
        painter.setFont(font(strong=True) if self.used or self.current else font())
        painter.setPen(QColor(t.ink))
        name = QRectF(left, 0, room, self.height()) if low else QRectF(left, 3, room, 17)
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter, tr(self.name))
        if low:
            return
        painter.setFont(font(SMALL_PT))
        painter.setPen(QColor(t.quiet_ink))
        text = painter.fontMetrics().elidedText(self.says, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(left, 19, room, 15), Qt.AlignmentFlag.AlignVCenter, tr(text))


class AdjustmentsPanel(QWidget):
    """`taken(kind)`."""

    taken = pyqtSignal(str)

    def __init__(self, kinds: Iterable[type[AdjustmentKind]], parent=None):
        super().__init__(parent)
        self.kinds = {kind.id: kind for kind in kinds}
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 0, 6, 6)
        column.setSpacing(1)
        head, self.count = panel_head("Adjustments")
        head.setContentsMargins(4, 0, 4, 2)
        column.addLayout(head)
        self.rows: dict[str, AdjustmentRow] = {}
        for kind in self.kinds.values():
            row = AdjustmentRow(kind.label, kind.icon, kind.hint)
            row.clicked.connect(lambda _, kind_id=kind.id: self.taken.emit(kind_id))
            self.rows[kind.id] = row
            column.addWidget(row)

    def set_low(self, low: bool) -> None:
        for row in self.rows.values():
            row.set_low(low)

    def show_stage(self, stage: Stage, current: str) -> None:
        """current: kind of the layer in hand."""
        used = 0
        for kind_id, row in self.rows.items():
            layers = [layer for layer in stage.layers if layer.kind == kind_id]
            on = [layer for layer in layers if layer.on and layer.strength > 0]
            used += bool(on)
            says = self.kinds[kind_id].said(layers[-1]) if len(layers) == 1 else phrase("%1 layers", len(layers))
            row.show_state((says or "in use") if layers else NOT_USED, bool(on), kind_id == current)
        self.count.setText(tr(phrase("%1 in use", used) if used else "none in use"))
