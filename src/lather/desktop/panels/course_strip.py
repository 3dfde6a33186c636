"""The course: the stages this version computes, each with its switch; the strength of the one in hand."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.core.job.model import Job
from lather.core.stages.registry import STAGES, StageInfo
from lather.desktop.panels.switch import Switch
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import COURSE_PX, SMALL_PT, theme

_CELL_PX = 150


class _StageCell(QFrame):
    """One stage. A click takes it in hand."""

    taken = pyqtSignal(str)
    switched = pyqtSignal(str, bool)

    def __init__(self, info: StageInfo, parent=None):
        super().__init__(parent)
        self.info = info
        self.setObjectName("stage")
        self.setFixedWidth(_CELL_PX)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(f"Stage {info.label} ({info.number % 10})")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 8, 4)
        row.setSpacing(4)
        words = QVBoxLayout()
        words.setSpacing(0)
        self.title = QLabel(f"{info.number}  {info.label}")
        self.title.setFont(font(strong=True))
        self.count = QLabel()
        self.count.setFont(font(SMALL_PT))
        self.count.setObjectName("quiet")
        words.addWidget(self.title)
        words.addWidget(self.count)
        row.addLayout(words)
        row.addStretch(1)
        self.switch = Switch(f"{info.label} on")
        self.switch.clicked.connect(lambda on: self.switched.emit(info.id, on))
        row.addWidget(self.switch)
        self.show_taken(False)

    def show_taken(self, taken: bool) -> None:
        t = theme()
        ground, line = (t.raised, t.accent) if taken else ("transparent", "transparent")
        self.setStyleSheet(f"#stage {{ background: {ground}; border-bottom: 3px solid {line}; }}"
                           f"#stage:focus {{ border: 1px solid {t.accent}; }}")
        self.setAccessibleName(f"Stage {self.info.label}{', in hand' if taken else ''}")

    def show_job(self, job: Job) -> None:
        stage = job.stage(self.info.id)
        edits = sum(len(layer.edits) for layer in stage.layers)
        turned_down = f" · {stage.strength * 100:.0f} %" if stage.strength < 1 else ""
        self.count.setText(f"{edits} {self.info.edit_word}{'s' * (edits != 1)}{turned_down}")
        self.switch.setChecked(stage.on)

    def mousePressEvent(self, event) -> None:
        self.taken.emit(self.info.id)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit(self.info.id)
        else:
            super().keyPressEvent(event)


class CourseStrip(QWidget):
    """`taken(stage id)`; `changed(stage id, field, value, dragging)` when a stage is turned down or off."""

    taken = pyqtSignal(str)
    changed = pyqtSignal(str, str, object, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(COURSE_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 12, 0)
        row.setSpacing(0)
        self.cells: dict[str, _StageCell] = {}
        for info in STAGES:
            cell = _StageCell(info)
            cell.taken.connect(self.taken)
            cell.switched.connect(lambda stage_id, on: self.changed.emit(stage_id, "on", on, False))
            self.cells[info.id] = cell
            row.addWidget(cell)
        self.strength = ValueSlider("Stage strength", 0, 100, 100)
        self.strength.setFixedWidth(128)
        self.strength.changed.connect(lambda v, d: self.changed.emit(self._stage_id, "strength", v / 100, d))
        row.addSpacing(10)
        row.addWidget(self.strength)
        row.addSpacing(14)
        row.addStretch(1)
        keys = QLabel("H: keys")
        keys.setObjectName("quiet")
        keys.setFont(font(SMALL_PT))
        keys.setToolTip("Hold H to see all keys")
        row.addSpacing(8)
        row.addWidget(keys)
        self._stage_id = "mend"

    def show_job(self, job: Job, stage_id: str) -> None:
        self._stage_id = stage_id
        for cell in self.cells.values():
            cell.show_job(job)
            cell.show_taken(cell.info.id == stage_id)
        self.strength.set_value(job.stage(stage_id).strength * 100)
