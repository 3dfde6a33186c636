"""The course: the stages in order, what was done in each, and its strength. Quiet where nothing was done yet."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.core.job.model import Job, Stage, acts_by_itself
from lather.core.phrases import joined, phrase
from lather.core.stages.info import StageInfo
from lather.core.stages.registry import STAGES
from lather.desktop.texts import tr
from lather.desktop.theme.style import font, restyle
from lather.desktop.theme.tokens import COURSE_PX, SMALL_PT, theme
from lather.desktop.widgets.elided_label import ElidedLabel

_MARGINS_PX, _GAP_PX = 34, 6
_CELL_PX, _LEAST_CELL_PX = 220, 96


class _StageCell(QFrame):
    """One stage. A click takes it in hand."""

    taken = pyqtSignal(str)

    def __init__(self, info: StageInfo, parent=None):
        super().__init__(parent)
        self.info = info
        self.setObjectName("stage")
        self.setMinimumWidth(_LEAST_CELL_PX)
        self.setMaximumWidth(_CELL_PX)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(0)
        self.number, self.title = QLabel(str(info.number)), QLabel(tr(info.label))
        self.number.setObjectName("quiet")
        self.count, self.strength, self.over = ElidedLabel(mode=Qt.TextElideMode.ElideRight), QLabel(), QLabel()
        head = QHBoxLayout()
        head.setSpacing(6)
        for label in (self.number, self.title):
            label.setFont(font(strong=True))
            head.addWidget(label)
        head.addStretch(1)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.time = QLabel()
        for label, line in ((self.over, head), (self.strength, head), (self.count, row), (self.time, row)):
            label.setFont(font(SMALL_PT))
            label.setObjectName("quiet")
            line.addWidget(label, 1 if label is self.count else 0)
        restyle(self.over, f"color: {theme().near_text};")
        column.addLayout(head)
        column.addLayout(row)
        self._shown = None
        self._worst = ""
        self.over.hide()

    def show_time(self, seconds: int, planned: int, left_out: bool) -> None:
        """Minutes done / planned; nothing where neither is."""
        done = round(seconds / 60)
        if planned:
            text = phrase("%1 / %2 min", done, round(planned / 60))
        else:
            text = phrase("%1 min", done) if seconds >= 30 else phrase("left out") if left_out else ""
        self.time.setText(tr(text))
        self.layout().activate()  # at once: it changes while nobody does anything
        over = planned and seconds > 1.1 * planned + 30
        restyle(self.time, f"color: {theme().near_text};" if over else "")

    def show_worst(self, text: str) -> None:
        """A gauge over its limit, beside the title: as a whole where there is room; "" if none is caused here."""
        if text != self._worst:
            self._worst = text
            self._say_worst()

    def _say_worst(self) -> None:
        room = self.width() - _MARGINS_PX - self.number.sizeHint().width() - self.title.sizeHint().width()
        if not self.strength.isHidden():
            room -= self.strength.sizeHint().width() + _GAP_PX
        whole = QFontMetrics(font(SMALL_PT)).horizontalAdvance(tr(self._worst)) <= room
        self.over.setText(tr(self._worst if whole or not self._worst else "over"))
        self.over.setToolTip(tr(self._worst))
        self.over.setVisible(bool(self._worst))

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._say_worst()

    def show_job(self, job: Job, taken: bool) -> None:
        stage, info = job.stage(self.info.id), self.info
        edits = sum(len(layer.edits) for layer in stage.layers)
        acts = edits or any(acts_by_itself(layer) for layer in stage.layers)
        shown = (taken, edits, bool(acts), stage.on, stage.strength)
        if shown == self._shown:
            return
        self._shown = shown
        t = theme()
        ground, line = (t.raised, t.accent) if taken else ("transparent", "transparent")
        restyle(self, f"#stage {{ background: {ground}; border-bottom: 3px solid {line}; }}"
                      f"#stage:focus {{ border: 1px solid {t.accent}; }}")
        restyle(self.title, f"color: {t.ink if acts or taken else t.quiet_ink};")
        chosen = font(strong=True)
        chosen.setStrikeOut(not stage.on)
        self.title.setFont(chosen)
        words = info.counted(edits) if edits else _by_itself(stage) if acts else ""
        self.count.setText(tr(words))
        self.strength.setText(tr("off" if not stage.on else f"{stage.strength * 100:.0f} %" if acts else ""))
        self.strength.setVisible(not stage.on or stage.strength < 1)  # the whole strength needs no word
        self._say_worst()
        said = joined((words or phrase("nothing yet"), self.strength.text()), ", ")
        self.setToolTip(tr("Stage %1, key %2: %3", info.label, info.number % 10, said))
        self.setAccessibleName(phrase("Stage %1%2: %3", info.label, phrase(", in hand") if taken else "", said))

    def mousePressEvent(self, event) -> None:
        self.taken.emit(self.info.id)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.info.id)
        else:
            super().keyPressEvent(event)


class CourseStrip(QWidget):
    """`taken(stage id)`. Room for ten stages at 1280 px."""

    taken = pyqtSignal(str)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(COURSE_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 4, 0)
        row.setSpacing(0)
        self.cells: dict[str, _StageCell] = {}
        for info in STAGES:
            cell = _StageCell(info)
            cell.taken.connect(self.taken)
            self.cells[info.id] = cell
            row.addWidget(cell, 1)
        rest = 10 - len(STAGES)
        if rest:
            row.addStretch(rest)

    def show_time(self, seconds: dict[str, int], planned: dict[str, int], left_out: set[str]) -> None:
        """Minutes by stage, done and planned. left_out: stages that the plan leaves."""
        for stage_id, cell in self.cells.items():
            cell.show_time(seconds.get(stage_id, 0), planned.get(stage_id, 0), stage_id in left_out)

    def show_worst(self, stage_id: str, text: str) -> None:
        """The worst gauge over its limit, in the stage that causes it."""
        for own, cell in self.cells.items():
            cell.show_worst(text if own == stage_id else "")

    def show_job(self, job: Job, stage_id: str) -> None:
        for cell in self.cells.values():
            cell.show_job(job, cell.info.id == stage_id)


def _by_itself(stage: Stage) -> str:
    """Where layers act that nothing was painted on."""
    everywhere = any(layer.settings.get("everywhere") for layer in stage.layers)
    return "all over" if everywhere else "by zone"
