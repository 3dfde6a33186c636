"""Review: before and after, held, wiped or side by side; what was done, in numbers."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from lather.core.job.commands import SetLayer
from lather.core.job.model import Job
from lather.core.stages.base import STILL
from lather.core.tools.registry import TOOLS
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.choices import Choices
from lather.desktop.panels.message_line import MessageLine
from lather.desktop.panels.switch import Switch
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.screens.desk import panel, rule
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import RIGHT_PX, SMALL_PT


class ReviewScreen(QWidget):
    """A canvas of its own, so that zoom and place are those of judging, not of working."""

    message = pyqtSignal(str)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self.canvas = PhotoCanvas(job.session.engine, settings.display_profile())
        self.canvas.failed.connect(self.message)
        self.canvas.navigation.panning = True
        self.modes = Choices("Compare", {"after": "Hold", "wipe": "Wipe", "side": "Side by side"}, "wipe")
        self.modes.chosen.connect(self._set_mode)
        self.zoom = Choices("Zoom", {"fit": "Fit", "1": "100 %", "2": "200 %"}, "fit")
        self.zoom.chosen.connect(self._set_zoom)
        self.hold_button = QPushButton("Press and hold: photo")
        self.hold_button.pressed.connect(lambda: self.canvas.set_mode("before"))
        self.hold_button.released.connect(lambda: self.canvas.set_mode("after"))
        self._rows: list[QWidget] = []
        self._arrange()
        job.changed.connect(self.show_job)
        self.show_job(job.job)
        self._set_mode("wipe")

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.canvas, 1)
        side = panel(RIGHT_PX)
        self._side = QVBoxLayout(side)
        self._side.setContentsMargins(12, 12, 12, 12)
        self._side.setSpacing(6)
        head = QLabel("What was done")
        head.setFont(font(strong=True))
        self._side.addWidget(head)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self._side.addWidget(self.facts)
        self.alike = Switch("The photo moved alike", False)
        self.alike.setToolTip("Compare with the photo as Shape has moved it: only what was done to the skin differs")
        self.alike.clicked.connect(self._move_alike)
        self._alike_row = QWidget()
        alike = QHBoxLayout(self._alike_row)
        alike.setContentsMargins(0, 0, 0, 0)
        alike.addWidget(self.alike)
        alike.addWidget(QLabel("The photo moved alike"), 1)
        self._side.addWidget(self._alike_row)
        self._side.addWidget(rule())
        turn = QLabel("Too much? Turn it down")
        turn.setFont(font(strong=True))
        self._side.addWidget(turn)
        self._side.addWidget(self._scrolled_rows(), 1)
        rest = QLabel("Rest your eyes for a minute before you judge.")
        rest.setObjectName("quiet")
        rest.setFont(font(SMALL_PT))
        rest.setWordWrap(True)
        self._side.addWidget(rest)
        middle.addWidget(side)
        column.addLayout(middle, 1)
        bar = QWidget()
        bar.setObjectName("raised")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 9, 12, 9)
        row.setSpacing(12)
        row.addWidget(self.modes)
        row.addWidget(self.hold_button)
        row.addWidget(self.zoom)
        row.addStretch(1)
        column.addWidget(bar)
        self.messages = MessageLine()
        column.addWidget(self.messages)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)

    def _scrolled_rows(self) -> QScrollArea:
        """Where the layers' rows go: ten stages have more of them than a window is high."""
        rows = QWidget()
        rows.setObjectName("panel")
        self._layer_rows = QVBoxLayout(rows)
        self._layer_rows.setContentsMargins(0, 0, 4, 0)
        self._layer_rows.setSpacing(4)
        self._layer_rows.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(rows)
        return scroll

    def _set_mode(self, mode: str) -> None:
        self.modes.set_value(mode)
        self.hold_button.setVisible(mode == "after")
        refit = (mode == "side") != (self.canvas.mode == "side")
        self.canvas.set_mode(mode)
        if refit:
            self._set_zoom(self.zoom.value)
        self.messages.show_hint({
            "after": "Hold the button or Tab: the photo as it came. Esc goes back to the desk.",
            "wipe": "Drag the line; drag the picture to move it. Esc goes back to the desk.",
            "side": "Both halves move together. Esc goes back to the desk.",
        }[mode])

    def _set_zoom(self, key: str) -> None:
        self.zoom.set_value(key)
        if key == "fit":
            self.canvas.fit()
        else:
            self.canvas.set_view(self.canvas._half_view())
            self.canvas.zoom_to(float(key))

    def _move_alike(self, on: bool) -> None:
        self.canvas.photo_moved = on
        self.canvas.ask()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.show_job(self.job.job)

    def show_job(self, job: Job) -> None:
        """Nothing while the screen is out of sight: it is shown when it comes."""
        if not self.isVisible() and self._rows:
            return
        self.canvas.set_job(job)
        counts: dict[str, int] = {}
        for edit in job.edits():
            counts[edit.tool] = counts.get(edit.tool, 0) + 1
        total = sum(counts.values())
        by_tool = ", ".join(f"{n} {TOOLS[tool].label}" for tool, n in counts.items())
        self.facts.setText(f"{total} edits: {by_tool}." if total else "Nothing yet: both sides show the same picture.")
        self._alike_row.setVisible(self.canvas.engine.warp(job) is not STILL)
        self._show_layers(job)

    def _show_layers(self, job: Job) -> None:
        layers = [(stage.id, layer) for stage in job.stages for layer in stage.layers]
        names = [(x.id, x.name) for _, x in layers]
        if names != getattr(self, "_names", None):
            self._names = names
            for row in self._rows:
                row.hide()
                row.deleteLater()
            self._rows, self.sliders, self.switches = [], {}, {}
            for stage_id, layer in reversed(layers):
                self._add_layer_row(stage_id, layer.id, layer.name)
        for _, layer in layers:
            self.sliders[layer.id].set_value(layer.strength * 100)
            self.switches[layer.id].setChecked(layer.on)

    def _add_layer_row(self, stage_id: str, layer_id: str, name: str) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        switch = Switch(f"{name} on")
        switch.clicked.connect(lambda on: self.job.do(SetLayer(stage_id, layer_id, "on", on)))
        slider = ValueSlider(name, 0, 100, 100)
        slider.changed.connect(
            lambda v, _: self.job.do(SetLayer(stage_id, layer_id, "strength", v / 100), merge=True)
        )
        row.addWidget(switch)
        row.addWidget(slider, 1)
        self.sliders[layer_id], self.switches[layer_id] = slider, switch
        self._rows.append(holder)
        self._layer_rows.insertWidget(self._layer_rows.count() - 1, holder)

    def press(self, action: str) -> None:
        if action == "before":
            self.canvas.set_mode("before")
        elif action == "fit":
            self._set_zoom("1" if self.zoom.value == "fit" else "fit")

    def release(self, action: str) -> None:
        if action == "before":
            self.canvas.set_mode(self.modes.value)

    def close_job(self) -> None:
        self.canvas.store.close()
