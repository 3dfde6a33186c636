"""The course: the stages this version computes, with switch and strength; beside them, what to do next."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lather.core.job.model import Job
from lather.core.stages.registry import STAGES
from lather.desktop.panels.switch import Switch
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import COURSE_PX, SMALL_PT, theme


class _StageCell(QFrame):
    changed = pyqtSignal(str, str, object, bool)

    def __init__(self, stage_id: str, label: str, parent=None):
        super().__init__(parent)
        self.stage_id = stage_id
        self.setFixedWidth(312)
        t = theme()
        self.setStyleSheet(f"_StageCell {{ background: {t.raised}; border-bottom: 3px solid {t.accent}; }}")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 14, 4)
        row.setSpacing(10)
        words = QVBoxLayout()
        words.setSpacing(0)
        title = QLabel(f"1  {label}")
        title.setFont(font(strong=True))
        self.count = QLabel()
        self.count.setFont(font(SMALL_PT))
        self.count.setObjectName("quiet")
        words.addWidget(title)
        words.addWidget(self.count)
        row.addLayout(words)
        row.addStretch(1)
        self.strength = ValueSlider("Stage strength", 0, 100, 100)
        self.strength.setFixedWidth(122)
        self.strength.changed.connect(lambda v, d: self.changed.emit(stage_id, "strength", v / 100, d))
        row.addWidget(self.strength)
        self.switch = Switch(f"{label} on")
        self.switch.clicked.connect(lambda on: self.changed.emit(stage_id, "on", on, False))
        row.addWidget(self.switch)


class CourseStrip(QWidget):
    """`changed(stage id, field, value, dragging)` when a stage is turned down or off."""

    changed = pyqtSignal(str, str, object, bool)

    def __init__(self, parent=None):
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(COURSE_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 14, 0)
        row.setSpacing(16)
        self.cells = {}
        for info in STAGES:
            cell = _StageCell(info.id, info.label)
            cell.changed.connect(self.changed)
            self.cells[info.id] = cell
            row.addWidget(cell)
        self.hint = QLabel()
        self.hint.setObjectName("quiet")
        self.hint.setWordWrap(True)
        row.addWidget(self.hint, 1)
        keys = QLabel("Hold H for the keys")
        keys.setObjectName("quiet")
        row.addWidget(keys)

    def show_job(self, job: Job, hint: str) -> None:
        for stage_id, cell in self.cells.items():
            stage = job.stage(stage_id)
            edits = sum(len(layer.edits) for layer in stage.layers)
            layers = len(stage.layers)
            cell.count.setText(f"{edits} mend{'s' * (edits != 1)} · {layers} layer{'s' * (layers != 1)}")
            cell.strength.set_value(stage.strength * 100)
            cell.switch.setChecked(stage.on)
        self.show_hint(hint)

    def show_hint(self, hint: str) -> None:
        """What to do next, or what to mind."""
        self.hint.setText(hint)
