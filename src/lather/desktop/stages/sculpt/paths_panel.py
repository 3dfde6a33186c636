"""The proposed paths as a list: which are chosen, how many stops each comes to, which were left out and why."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from lather.core.phrases import joined, phrase
from lather.core.stages.sculpt.paths import SHARE, Proposal
from lather.desktop.input.keys import keyed
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import SMALL_PT, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.panel_head import panel_head
from lather.desktop.widgets.value_slider import ValueSlider

_ROW_PX, _BOX_PX = 24, 14


class _Row(QStyledItemDelegate):
    """A box with the hatch of light or shade, number, name, stops; or the name and why it is left out."""

    def sizeHint(self, option, index) -> QSize:
        return QSize(120, _ROW_PX)

    def paint(self, painter: QPainter, option, index) -> None:
        t, one = theme(), index.data(Qt.ItemDataRole.UserRole)
        number, right, chosen = index.data(Qt.ItemDataRole.UserRole + 1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(option.rect)
        if index.data(Qt.ItemDataRole.UserRole + 2):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent_tint))
            painter.drawRoundedRect(rect.adjusted(0, 1, 0, -1), 5, 5)
        left = rect.left() + 4
        if not one.left_out:
            _box(painter, QRectF(left, rect.center().y() - _BOX_PX / 2, _BOX_PX, _BOX_PX), one.tool, chosen)
            left += _BOX_PX + 5
        quiet = bool(one.left_out) or not chosen
        painter.setFont(font(SMALL_PT))
        painter.setPen(QColor(t.quiet_ink))
        if not one.left_out:
            painter.drawText(QRectF(left, rect.top(), 18, rect.height()), Qt.AlignmentFlag.AlignVCenter
                             | Qt.AlignmentFlag.AlignRight, str(number))
            left += 22
        painter.setPen(QColor(t.quiet_ink if quiet else t.ink))
        metrics = painter.fontMetrics()
        wide = metrics.horizontalAdvance(right)
        room = rect.right() - 6 - wide - 6 - left
        painter.drawText(QRectF(left, rect.top(), room, rect.height()), Qt.AlignmentFlag.AlignVCenter,
                         metrics.elidedText(one.label, Qt.TextElideMode.ElideRight, int(room)))
        painter.setFont(font(SMALL_PT, strong=not quiet))
        painter.drawText(rect.adjusted(0, 0, -6, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, right)
        painter.restore()


def _box(painter: QPainter, box: QRectF, tool: str, chosen: bool) -> None:
    t = theme()
    painter.setPen(QPen(QColor(t.accent if chosen else t.line), 1))
    painter.setBrush(QColor(t.raised))
    painter.drawRoundedRect(box, 3, 3)
    if not chosen:
        return
    painter.save()
    painter.setClipRect(box.adjusted(1.5, 1.5, -1.5, -1.5))
    painter.setPen(QPen(QColor(t.accent if tool == "light" else t.ink), 1.6 if tool == "light" else 2.4))
    for n in range(-3, 6):
        x = box.left() + 4.6 * n
        if tool == "light":  # rising
            painter.drawLine(int(x), int(box.bottom()), int(x + box.height()), int(box.top()))
        else:  # falling
            painter.drawLine(int(x), int(box.top()), int(x + box.height()), int(box.bottom()))
    painter.restore()


class PathsPanel(QWidget):
    """`chosen(id, bool)`: a path is to be laid, or not; `picked(id)`: the one in hand; `share_changed(share)`;
    `look_chosen(look)`: how paths are drawn on the photo; `lay_asked()`, `skip_asked()`.
    """

    chosen = pyqtSignal(str, bool)
    picked = pyqtSignal(str)
    share_changed = pyqtSignal(float)
    look_chosen = pyqtSignal(str)
    lay_asked = pyqtSignal()
    skip_asked = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 6, 10)
        column.setSpacing(6)
        head, self.count = panel_head("Proposed paths")
        column.addLayout(head)
        self.empty = QLabel()
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.empty)
        self.list = QListWidget()
        self.list.setAccessibleName("Proposed paths")
        self.list.setItemDelegate(_Row(self.list))
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setStyleSheet("QListWidget { background: transparent; }")
        self.list.itemPressed.connect(self._pressed)
        column.addWidget(self.list, 1)
        self.look = Choices("Paths on the photo", {"hatch": "Hatch", "outline": "Outline", "off": "Off"}, "hatch")
        self.look.setToolTip(tr("How the paths are drawn on the photo"))
        self.look.chosen.connect(self.look_chosen)
        column.addWidget(self.look)
        self.share = ValueSlider("Share of all proposals", 5, 60, 100 * SHARE)
        self.share.setToolTip(tr("Coverage of the strongest path; the others keep their proportion"))
        self.share.changed.connect(lambda value, _: self.share_changed.emit(value / 100))
        column.addWidget(self.share)
        row = QHBoxLayout()
        row.setSpacing(5)
        self.lay = QPushButton()
        self.lay.setObjectName("primary")
        self.lay.setStyleSheet("padding: 5px 4px;")
        self.lay.setToolTip(tr(keyed("Lay all chosen paths down as one step ({mend_find}); undo takes them back")))
        self.lay.clicked.connect(self.lay_asked)
        self.skip = QPushButton(tr("Leave out  T"))
        self.skip.setObjectName("small")
        self.skip.setStyleSheet("padding: 5px 4px;")
        self.skip.setToolTip(tr(keyed("Leave the path in hand out, or take it in again ({skip_find})")))
        self.skip.clicked.connect(self.skip_asked)
        row.addWidget(self.lay, 3)
        row.addWidget(self.skip, 2)
        column.addLayout(row)

    def _pressed(self, item: QListWidgetItem) -> None:
        one = item.data(Qt.ItemDataRole.UserRole)
        at = self.list.viewport().mapFromGlobal(self.list.cursor().pos()).x()
        if not one.left_out and at < _BOX_PX + 8:
            self.chosen.emit(one.id, not item.data(Qt.ItemDataRole.UserRole + 1)[2])
        self.picked.emit(one.id)

    def show_paths(self, rows: list[Proposal], numbers: dict[str, int], off: set[str], laid: set[str], in_hand: str,
                   share: float, following: float, empty: str, waiting: int) -> None:
        """off: ids that are not chosen. laid: those that lie on a layer. empty: what is said while there is none."""
        proposed = [one for one in rows if not one.left_out]
        self.count.setText(tr(phrase("%1 of %2 laid", len(laid), len(proposed)) if proposed else ""))
        self.empty.setText(tr(empty))
        self.empty.setVisible(bool(empty))
        self.list.setVisible(bool(rows))
        self.list.clear()
        for one in (*proposed, *(one for one in rows if one.left_out)):
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, one)
            stops = one.stops(share, following)
            chosen = one.id not in off and one.id not in laid
            right = one.left_out or ("laid" if one.id in laid else f"{stops:+.2f}".replace("-", "−"))
            item.setData(Qt.ItemDataRole.UserRole + 1, (numbers.get(one.id, 0), right, chosen))
            item.setData(Qt.ItemDataRole.UserRole + 2, one.id == in_hand)
            says = right if one.id in laid else phrase("%1 stops", right)
            if one.left_out:
                says = phrase("left out: %1", one.left_out)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{one.label}, {says}")
            item.setToolTip(tr(joined([one.label, says], ": ")))
            self.list.addItem(item)
        self.lay.setText(tr("Lay all %1  E", waiting))
        self.lay.setEnabled(waiting > 0)
        self.skip.setEnabled(bool(in_hand))
        self.share.set_value(100 * share, fine=True)
