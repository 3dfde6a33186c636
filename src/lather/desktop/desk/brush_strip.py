"""The bottom strip: tools, brush values, build-up graph, and what only the tool in hand has."""

from dataclasses import replace

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from lather.core.job.source_map import SourceTurn
from lather.core.phrases import phrase
from lather.core.tools.registry import TOOLS
from lather.desktop.desk.build_up_graph import BuildUpGraph
from lather.desktop.desk.cards_button import CardsButton
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.keys import keyed
from lather.desktop.texts import tr
from lather.desktop.theme.icons import icon
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import BRUSH_STRIP_PX, SMALL_PT, theme
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.value_slider import ValueSlider

_PEN = (("size", "pressure_size"), ("ceiling", "pressure_ceiling"), ("flow", "pressure_flow"))

_AREAS = ("area", "even_area", "mask_area", "target")  # drawn as outlines
_DRAWN = ("stretch", "straighten", "reference", "pick", "pool_rim", "grow")  # without a brush
_MODES = (
    (("copy",), "Copy", {"any": "all", "lighter": "lighter", "darker": "darker"},
     "Copy all, or only what is lighter or darker than the place"),
    (("area",), "Area", {"any": "smooth", "flat": "flatten"},
     "Smooth: by the size in hand. Flatten: one even field over the whole outline"),
    (("lift", "lower"), "Strokes", {"assisted": "assisted", "around": "as around", "free": "free"},
     "Assisted: only the light that is known to be missing. As around: as much as the skin around the stroke says. "
     "Free: as painted"),
    (("light", "shade"), "Where", {"anywhere": "anywhere", "skin": "skin only"},
     "Anywhere: hair gloss and cloth too. Skin only: hair, brows, lips and cloth stay as they are"),
    (("even_area",), "Even area", {"assisted": "assisted", "around": "as around"},
     "Assisted: only the light that is known to be missing. As around: as much as the skin around the outline says"),
)
_STEPS = {"size": 1, "ceiling": 5}
_TOOL_PX, _TOOL_MORE_PX = 52, 3  # and around its name
_ROOMY_PX, _GRAPH_AND_MODES_PX = 1150, 1360
_NARROW_TOOL_PX, _NARROW_TOOL_PT, _VALUE_PX, _NARROW_VALUE_PX = 38, 6.5, 68, 72


class BrushStrip(QWidget):
    """Shows and changes a BrushState; `changed()` after every change, `tool_chosen()` when another tool is taken,
    `arrow_switched(on)` when the arrow is, in its place.

    own: what is painted with. state: the same, or the values of an edit in hand. dragging: a knob is being held.
    """

    changed = pyqtSignal()
    tool_chosen = pyqtSignal()
    arrow_switched = pyqtSignal(bool)

    def __init__(self, state: BrushState, parent=None):
        super().__init__(parent)
        self.own = self.state = state
        self.dragging = False
        self.setObjectName("raised")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(BRUSH_STRIP_PX)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 6, 4, 6)
        row.setSpacing(3)
        self.tools: dict[str, QToolButton] = {}
        self._offered = False
        tools = QHBoxLayout()
        tools.setSpacing(0)
        self._add_tools(tools)
        self._tool_row = tools
        row.addLayout(tools)
        self.size = ValueSlider("Size", 1, 2000, 26, unit="px", logarithmic=True)
        self.edge = ValueSlider("Edge", 0, 100, 15)
        self.ceiling = ValueSlider("Ceiling", 1, 100, 100)
        self.flow = ValueSlider("Flow", 1, 100, 100)
        tips = {
            self.size: "Diameter in pixels of the photo: {smaller} smaller, {larger} larger",
            self.edge: "How much of the brush fades out",
            self.ceiling: "Most that one stroke can reach: {lower_ceiling} lower, {higher_ceiling} higher",
            self.flow: "What each touch lays down",
        }
        sliders = QHBoxLayout()
        sliders.setSpacing(6)
        row.addLayout(sliders, 4)
        for slider, name, scale in ((self.size, "size_px", 1), (self.edge, "edge", 100),
                                    (self.ceiling, "ceiling", 100), (self.flow, "flow", 100)):
            slider.setToolTip(keyed(tr(tips[slider])))
            slider.changed.connect(lambda v, held, name=name, scale=scale: self._set(name, v / scale, held))
            slider.setMaximumWidth(112)
            sliders.addWidget(slider, 1)
        self.area_feather = ValueSlider("Feather", 0, 200, 32, unit="px")
        self.area_feather.setToolTip(tr("How far inwards the rim of an outline fades"))
        self.area_feather.setMaximumWidth(112)
        self.area_feather.changed.connect(self._set_area_feather)
        row.addWidget(self.area_feather, 1)
        self.modes: dict[str, Choices] = {}
        for tools, name, labels, tip in _MODES:
            self._add_modes(tools, name, labels, tip)
        row.addWidget(self.modes["area"])
        self.beside: QWidget | None = None
        self._row = row
        self.graph = BuildUpGraph()
        row.addWidget(self.graph)
        self._add_options(row)
        self.cards = CardsButton(state)
        self.cards.used.connect(self._card_used)
        row.addWidget(self.cards)
        self.refresh()

    def _add_tools(self, row: QHBoxLayout) -> None:
        group = QButtonGroup(self)
        arrow = "Arrow", "Click a mend, stroke, outline or path to change it ({arrow})"
        self.arrow = self._tool_button(*arrow, group, row)
        self.arrow.clicked.connect(lambda: self.arrow_switched.emit(True))
        for tool in TOOLS.values():  # those that the stage in hand does not have are hidden
            button = self.tools[tool.id] = self._tool_button(tool.label, tool.hint, group, row)
            button.clicked.connect(lambda _, tool_id=tool.id: self.choose(tool_id))

    def _tool_button(self, label: str, tip: str, group: QButtonGroup, row: QHBoxLayout) -> QToolButton:
        t = theme()
        button = QToolButton()
        button.setText(tr(label))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setIconSize(QSize(22, 22))
        button.setCheckable(True)
        button.setFixedSize(_TOOL_PX, 58)
        button.setToolTip(keyed(tr("%1: %2", label, tip)))
        button.setAccessibleName(keyed(f"{label}: {tip}"))
        button.setFont(font(SMALL_PT))
        button.setStyleSheet(
            "QToolButton { border: 1px solid transparent; border-radius: 6px; padding: 1px 0; }"
            f"QToolButton:hover {{ border-color: {t.line}; }}"
            f"QToolButton:focus {{ border-color: {t.accent}; }}"
            f"QToolButton:checked {{ background: {t.accent}; color: {t.on_accent}; }}"
        )
        group.addButton(button)
        row.addWidget(button)
        return button

    def _add_modes(self, tools: tuple[str, ...], name: str, labels: dict[str, str], tip: str) -> None:
        """One choice for tools that share their modes."""
        choice = Choices(name, labels, TOOLS[tools[0]].modes[0])
        choice.setToolTip(tr(tip))
        choice.chosen.connect(self._set_mode)
        self.modes |= dict.fromkeys(tools, choice)

    def _add_options(self, row: QHBoxLayout) -> None:
        self.own_texture = self._pen_button(
            "tone", "Copy the tone only: pores and grain of the place stay as they are", "own_texture", QHBoxLayout())
        self.own_texture.clicked.disconnect()
        self.own_texture.clicked.connect(self._set_own_texture)
        self.pen_label = QLabel(tr("Pen"))
        self.pen = QWidget()
        pens = QHBoxLayout(self.pen)
        pens.setContentsMargins(0, 0, 0, 0)
        pens.setSpacing(0)
        self.pen_buttons = {}
        for label, name in _PEN:
            self.pen_buttons[name] = self._pen_button(label, phrase("Pen pressure drives %1", label), name, pens)
        pens.addStretch(1)
        self.pen_label.setObjectName("quiet")
        self.pen_label.setFont(font(SMALL_PT))
        self.aligned = self._pen_button(
            "along", "On: the source goes along from stroke to stroke. Off: every stroke begins at the same source",
            "aligned", QHBoxLayout())
        self.aligned.clicked.disconnect()
        self.aligned.clicked.connect(self._set_aligned)
        self.mirror = self._pen_button("mirror", "Lay the source down mirrored", "mirror", QHBoxLayout())
        self.mirror.clicked.disconnect()
        self.mirror.clicked.connect(self._set_mirror)
        self.turned = self._pen_button("", "The source is turned; press to lay it straight", "turned", QHBoxLayout())
        self.turned.setCheckable(False)
        self.turned.clicked.disconnect()
        self.turned.clicked.connect(self._straighten)
        self.other_side = self._pen_button(
            "other side too", "The other side of the face is moved alike, by the face's own points", "other_side",
            QHBoxLayout())
        self.other_side.clicked.disconnect()
        self.other_side.clicked.connect(self._set_other_side)
        self.spares = self._pen_button(
            "features stay", "Lips, eyes, brows, hair and keepers stay as they are, unless a stroke begins on them",
            "spares", QHBoxLayout())
        self.spares.clicked.disconnect()
        self.spares.clicked.connect(self._set_spares)
        self.pen_buttons["build_up"] = self._pen_button("hold", "Touches go on while the pen holds still",
                                                        "build_up", QHBoxLayout())
        options = QHBoxLayout()
        options.setSpacing(2)
        shown = [self.modes[tools[0]] for tools, *_ in _MODES if tools[0] != "area"]
        for widget in (self.aligned, *shown, self.own_texture, self.other_side, self.spares,
                       self.turned):
            options.addWidget(widget)
        options.addStretch(1)
        column = QVBoxLayout()
        column.setSpacing(3)
        column.addStretch(1)
        column.addLayout(options)
        pen_row = QHBoxLayout()
        pen_row.setSpacing(2)
        pen_row.addWidget(self.pen_label)
        pen_row.addWidget(self.pen)
        pen_row.addWidget(self.pen_buttons["build_up"])
        pen_row.addWidget(self.mirror)
        pen_row.addStretch(1)
        column.addLayout(pen_row)
        column.addStretch(1)
        row.addLayout(column, 3)

    def _pen_button(self, label: str, tip: str, name: str, row: QHBoxLayout) -> QToolButton:
        t = theme()
        button = QToolButton()
        button.setText(tr(label))
        button.setCheckable(True)
        button.setToolTip(tr(tip))
        button.setAccessibleName(tip)
        button.setFont(font(SMALL_PT))
        button.setFixedHeight(24)
        button.setStyleSheet(
            f"QToolButton {{ border: 1px solid {t.line}; border-radius: 5px; padding: 1px 4px; margin-right: 2px;"
            f" color: {t.quiet_ink}; }}"
            f"QToolButton:focus {{ border-color: {t.ink}; }}"
            f"QToolButton:checked {{ background: {t.accent_tint}; border-color: {t.accent}; color: {t.ink}; }}"
        )
        button.clicked.connect(lambda on: self._set(name, on))
        row.addWidget(button)
        return button

    def offer(self, tools: tuple[str, ...]) -> None:
        """Show these tools, in this order; another one is taken where the one in hand is not among them."""
        before = self.own.tool
        if tools != self.own.tools or not self._offered:
            self._offered = True
            self.own.offer(tools)
            for button in self.tools.values():
                self._tool_row.removeWidget(button)
                button.hide()
            for tool in tools:
                self._tool_row.addWidget(self.tools[tool])
                self.tools[tool].show()
            self.refresh()
            if self.own.tool != before:
                self.changed.emit()
                self.tool_chosen.emit()

    def show_values(self, values: BrushState | None, *, arrow: bool) -> None:
        """The values of an edit in hand, or (None) those of the brush. arrow: it is in hand instead of a tool."""
        self.state = self.own if values is None else values
        self.arrow.setChecked(arrow)
        self.refresh()

    def show_beside(self, widget: QWidget | None) -> None:
        """What the stage in hand has beside the tools, or nothing."""
        if widget is self.beside:
            return
        if self.beside is not None:
            self.beside.hide()
        self.beside = widget
        if widget is not None:
            if widget.parent() is not self:
                self._row.insertWidget(1, widget)
            widget.show()
        self._fit()

    def step(self, name: str, way: int) -> None:
        """A value (size, ceiling) a step up or down, where the tool in hand has it."""
        slider = {"size": self.size, "ceiling": self.ceiling}[name]
        if slider.isVisible() and slider.isEnabled():
            slider.nudge(way * _STEPS[name])

    def choose(self, tool: str) -> None:
        self.own.tool = tool
        self.arrow_switched.emit(False)
        self.refresh()
        self.changed.emit()
        self.tool_chosen.emit()

    def _set(self, name: str, value, dragging: bool = False) -> None:
        self.dragging = dragging
        self.state.change(**{name: value})
        self.refresh()
        self.changed.emit()

    def _card_used(self) -> None:
        self.arrow_switched.emit(False)  # a card is for what is painted next, not for the edit in hand
        self.refresh()
        self.changed.emit()
        self.tool_chosen.emit()

    def _set_mirror(self, on: bool) -> None:
        self.state.turn = replace(self.state.turn, mirror=on)
        self.refresh()
        self.changed.emit()

    def _straighten(self) -> None:
        self.state.turn = SourceTurn(mirror=self.state.turn.mirror)
        self.state.offset = None
        self.refresh()
        self.changed.emit()

    def _set_area_feather(self, value: float, dragging: bool) -> None:
        self.dragging = dragging
        self.state.area_feather_px = value
        self.changed.emit()

    def _set_mode(self, mode: str) -> None:
        self.state.mode = mode
        self.changed.emit()

    def _set_own_texture(self, on: bool) -> None:
        self.state.own_texture = on
        self.changed.emit()

    def _set_other_side(self, on: bool) -> None:
        self.state.other_side = on
        self.changed.emit()

    def _set_spares(self, on: bool) -> None:
        self.state.spares = on
        self.changed.emit()

    def _set_aligned(self, on: bool) -> None:
        self.state.aligned = on
        self.changed.emit()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Where the window is narrow the graph gives way, tools and values stand closer."""
        roomy, tool = self.width() >= _ROOMY_PX, self.state.tool
        room_for_graph = roomy and self.beside is None and (tool != "copy" or self.width() >= _GRAPH_AND_MODES_PX)
        self.graph.setVisible(tool not in (*_AREAS, *_DRAWN, "strand") and room_for_graph)
        self.pen_label.setVisible(tool not in ("graft", *_AREAS, *_DRAWN, "strand") and roomy)
        for button in (self.arrow, *self.tools.values()):
            button.setFont(font(SMALL_PT if roomy else _NARROW_TOOL_PT))
            room = QFontMetrics(button.font()).horizontalAdvance(button.text()) + _TOOL_MORE_PX
            button.setFixedWidth(max(_TOOL_PX if roomy else _NARROW_TOOL_PX, room))
        for slider in (self.size, self.edge, self.ceiling, self.flow):
            slider.setMinimumWidth(_VALUE_PX if roomy else _NARROW_VALUE_PX)
        if self.beside is not None and not roomy:  # what the stage has beside the tools goes before the pen's switches
            for widget in (self.pen, *self.pen_buttons.values()):
                widget.setVisible(False)

    def refresh(self) -> None:
        brush, tool = self.state.brush, self.state.tool
        usual = TOOLS[tool].brush
        for slider, start in ((self.edge, usual.edge), (self.ceiling, usual.ceiling), (self.flow, usual.flow)):
            slider.start = 100 * start
        self.size.start = self.state.usual_size(tool)
        held = self.state is not self.own  # the values are an edit's; what only a new one has is not shown
        if not self.arrow.isChecked():
            self.tools[self.own.tool].setChecked(True)
        icons = {self.arrow: "arrow"} | {button: TOOLS[name].icon_name for name, button in self.tools.items()}
        for button, name in icons.items():
            button.setIcon(icon(name, theme().on_accent if button.isChecked() else theme().ink))
        self.size.set_value(brush.size_px, fine=True)
        self.edge.set_value(brush.edge * 100, fine=True)
        self.ceiling.set_value(brush.ceiling * 100, fine=True)
        self.flow.set_value(brush.flow * 100, fine=True)
        self.flow.setEnabled(not TOOLS[tool].whole)
        self.size.set_name("Smoothing" if tool == "area" else "Size")
        self.ceiling.set_name("Share" if tool == "even_area" else "Ceiling")
        for slider in (self.size, self.flow):
            slider.setVisible(tool not in ("even_area", "mask_area", "target", *_DRAWN))
        self.ceiling.setVisible(tool not in _DRAWN)
        self.edge.setVisible(tool not in (*_AREAS, *_DRAWN, "strand"))
        self.area_feather.setVisible(tool in _AREAS)
        for choice in self.modes.values():
            choice.setVisible(False)
        if tool in self.modes:
            self.modes[tool].setVisible(True)
            self.modes[tool].set_value(self.state.mode)
        self.area_feather.set_value(self.state.area_feather_px)
        self.size.setEnabled(tool != "graft")  # its outline is its size
        turn = self.state.turn
        self.mirror.setChecked(turn.mirror)
        self.mirror.setVisible(self.own.needs_source and not held)
        self.turned.setText(f"{turn.rotation_deg:.0f}°")
        self.turned.setToolTip(tr("The source is turned %1° and laid at %2 %; press to lay it straight again",
                                  f"{turn.rotation_deg:.0f}", f"{turn.scale * 100:.0f}"))
        self.turned.setVisible(self.own.needs_source and not held and (turn.rotation_deg != 0 or turn.scale != 1))
        self.graph.set_brush(brush)
        self.other_side.setVisible(TOOLS[tool].mirrors and not held)
        self.other_side.setChecked(self.state.other_side)
        self.spares.setVisible(TOOLS[tool].spares and not held)
        self.spares.setChecked(self.state.spares)
        self.own_texture.setVisible(self.state.may_keep_texture and not held)
        self.own_texture.setChecked(self.state.own_texture)
        self.aligned.setChecked(self.state.aligned)
        self.aligned.setVisible(self.state.needs_source and not held)
        for name, button in self.pen_buttons.items():
            button.setChecked(getattr(brush, name))
            only_these = tool != "dab" or name in ("pressure_size", "pressure_ceiling")
            button.setVisible(tool not in ("graft", *_AREAS, *_DRAWN, "strand") and only_these)
        self.pen.setVisible(True)
        self._fit()
        self.cards.setVisible("dab" in self.own.tools or "sweep" in self.own.tools)
