"""The bottom strip: tools, brush values, build-up graph, and what only the tool in hand has."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from lather.core.job.model import TOOLS
from lather.desktop.input.brush_state import TOOL_HINTS, TOOL_LABELS, BrushState
from lather.desktop.panels.build_up_graph import BuildUpGraph
from lather.desktop.panels.choices import Choices
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import BRUSH_STRIP_PX, SMALL_PT, theme

_PEN = (("size", "pressure_size"), ("ceiling", "pressure_ceiling"), ("flow", "pressure_flow"))


class BrushStrip(QWidget):
    """Shows and changes a BrushState; `changed()` after every change."""

    changed = pyqtSignal()

    def __init__(self, state: BrushState, parent=None):
        super().__init__(parent)
        self.state = state
        self.setObjectName("raised")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(BRUSH_STRIP_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 6)
        row.setSpacing(10)
        self.tools: dict[str, QToolButton] = {}
        self._add_tools(row)
        row.addSpacing(6)
        self.size = ValueSlider("Size", 1, 2000, 26, unit="px", logarithmic=True)
        self.edge = ValueSlider("Soft edge", 0, 100, 15)
        self.ceiling = ValueSlider("Ceiling", 1, 100, 100)
        self.flow = ValueSlider("Flow", 1, 100, 100)
        tips = {
            self.size: "Diameter in pixels of the photo", self.edge: "How much of the brush fades out",
            self.ceiling: "Most that one stroke can reach", self.flow: "What each touch lays down",
        }
        for slider, name, scale in ((self.size, "size_px", 1), (self.edge, "edge", 100),
                                    (self.ceiling, "ceiling", 100), (self.flow, "flow", 100)):
            slider.setToolTip(tips[slider])
            slider.changed.connect(lambda v, _, name=name, scale=scale: self._set(name, v / scale))
            slider.setMaximumWidth(128)
            row.addWidget(slider, 1)
        self.graph = BuildUpGraph()
        row.addWidget(self.graph)
        self._add_options(row)
        self.refresh()

    def _add_tools(self, row: QHBoxLayout) -> None:
        t = theme()
        group = QButtonGroup(self)
        for tool in TOOLS:
            button = QToolButton()
            button.setText(TOOL_LABELS[tool])
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(22, 22))
            button.setCheckable(True)
            button.setFixedSize(64, 58)
            button.setToolTip(f"{TOOL_LABELS[tool]}: {TOOL_HINTS[tool]}")
            button.setAccessibleName(f"{TOOL_LABELS[tool]}: {TOOL_HINTS[tool]}")
            button.setFont(font(SMALL_PT))
            button.setStyleSheet(
                "QToolButton { border: 1px solid transparent; border-radius: 6px; padding: 3px; }"
                f"QToolButton:hover {{ border-color: {t.line}; }}"
                f"QToolButton:focus {{ border-color: {t.accent}; }}"
                f"QToolButton:checked {{ background: {t.accent}; color: {t.on_accent}; }}"
            )
            button.clicked.connect(lambda _, tool=tool: self.choose(tool))
            group.addButton(button)
            self.tools[tool] = button
            row.addWidget(button)

    def _add_options(self, row: QHBoxLayout) -> None:
        self.mode = Choices("Copy", {"any": "all", "lighter": "lighter", "darker": "darker"}, "any")
        self.mode.setToolTip("Copy all, or only what is lighter or darker than the place")
        self.mode.chosen.connect(self._set_mode)
        self.aligned = Choices("Source", {"aligned": "aligned", "fixed": "fixed"}, "aligned")
        self.aligned.setToolTip("Aligned: the source goes along from stroke to stroke. "
                                "Fixed: every stroke begins at the same source.")
        self.aligned.chosen.connect(self._set_aligned)
        self.mode_label, self.aligned_label = QLabel("Copy"), QLabel("Source")
        self.pen_label = QLabel("Pen")
        self.pen = QWidget()
        pens = QHBoxLayout(self.pen)
        pens.setContentsMargins(0, 0, 0, 0)
        pens.setSpacing(0)
        self.pen_buttons = {}
        for label, name in _PEN:
            self.pen_buttons[name] = self._pen_button(label, f"Pen pressure drives {label}", name, pens)
        self.pen_buttons["build_up"] = self._pen_button("build-up", "Touches go on while the pen holds still",
                                                        "build_up", pens)
        pens.addStretch(1)
        for label in (self.mode_label, self.aligned_label, self.pen_label):
            label.setObjectName("quiet")
            label.setFont(font(SMALL_PT))
        options = QHBoxLayout()
        options.setSpacing(8)
        for widget in (self.aligned_label, self.aligned, self.mode_label, self.mode):
            options.addWidget(widget)
        options.addStretch(1)
        column = QVBoxLayout()
        column.setSpacing(3)
        column.addStretch(1)
        column.addLayout(options)
        pen_row = QHBoxLayout()
        pen_row.setSpacing(8)
        pen_row.addWidget(self.pen_label)
        pen_row.addWidget(self.pen, 1)
        column.addLayout(pen_row)
        column.addStretch(1)
        row.addLayout(column, 3)

    def _pen_button(self, label: str, tip: str, name: str, row: QHBoxLayout) -> QToolButton:
        t = theme()
        button = QToolButton()
        button.setText(label)
        button.setCheckable(True)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setFont(font(SMALL_PT))
        button.setFixedHeight(24)
        button.setStyleSheet(
            f"QToolButton {{ border: 1px solid {t.line}; border-radius: 5px; padding: 1px 6px; margin-right: 3px;"
            f" color: {t.quiet_ink}; }}"
            f"QToolButton:focus {{ border-color: {t.ink}; }}"
            f"QToolButton:checked {{ background: {t.accent_tint}; border-color: {t.accent}; color: {t.ink}; }}"
        )
        button.clicked.connect(lambda on: self._set(name, on))
        row.addWidget(button)
        return button

    def choose(self, tool: str) -> None:
        self.state.tool = tool
        self.refresh()
        self.changed.emit()

    def _set(self, name: str, value) -> None:
        self.state.change(**{name: value})
        self.refresh()
        self.changed.emit()

    def _set_mode(self, mode: str) -> None:
        self.state.mode = mode
        self.changed.emit()

    def _set_aligned(self, key: str) -> None:
        self.state.aligned = key == "aligned"
        self.changed.emit()

    def refresh(self) -> None:
        brush, tool = self.state.brush, self.state.tool
        self.tools[tool].setChecked(True)
        for name, button in self.tools.items():
            button.setIcon(icon(name, theme().on_accent if name == tool else theme().ink))
        self.size.set_value(brush.size_px)
        self.edge.set_value(brush.edge * 100)
        self.ceiling.set_value(brush.ceiling * 100)
        self.flow.set_value(brush.flow * 100)
        self.flow.setEnabled(tool != "dab")  # a Dab is one whole touch
        self.graph.set_brush(brush)
        for widget in (self.mode, self.mode_label):
            widget.setVisible(tool == "copy")
        for widget in (self.aligned, self.aligned_label):
            widget.setVisible(self.state.needs_source)
        for name, button in self.pen_buttons.items():
            button.setChecked(getattr(brush, name))
            button.setVisible(tool != "dab" or name in ("pressure_size", "pressure_ceiling"))
