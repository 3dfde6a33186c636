"""The desk: course strip above, mends left, photo in the middle, layers right, brush strip below."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from lather.core.job.commands import MoveLayer, RemoveEdits, RemoveLayer, SetLayer, SetStage
from lather.core.job.model import Job
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.brush_state import BrushState
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.brush_strip import BrushStrip
from lather.desktop.panels.course_strip import CourseStrip
from lather.desktop.panels.layers import LayersPanel
from lather.desktop.panels.mends import MendsPanel
from lather.desktop.screens.stroke_control import StrokeControl
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import LEFT_PX, RIGHT_PX, SMALL_PT


def panel(width: int) -> QWidget:
    widget = QWidget()
    widget.setObjectName("panel")
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    widget.setFixedWidth(width)
    return widget


def rule() -> QFrame:
    line = QFrame()
    line.setObjectName("rule")
    return line


class DeskScreen(QWidget):
    """Puts the panels together and turns what they ask for into commands."""

    message = pyqtSignal(str)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self.state = BrushState()
        engine = job.session.engine
        self.canvas = PhotoCanvas(engine, settings.display_profile())
        self.canvas.failed.connect(self.message)
        self.control = StrokeControl(self.canvas, job, self.state, self)
        self.control.message.connect(self.message)
        self.course = CourseStrip()
        self.brush_strip = BrushStrip(self.state)
        self.mends = MendsPanel(job.session.photo, self.canvas.converter)
        self.layers = LayersPanel()
        self._arrange()
        self._connect()
        self.show_job(job.job)

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.course)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.left = panel(LEFT_PX)
        left = QVBoxLayout(self.left)
        left.setContentsMargins(0, 0, 0, 0)
        left.addWidget(self.mends)
        self.right = panel(RIGHT_PX)
        right = QVBoxLayout(self.right)
        right.setContentsMargins(0, 0, 0, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        inner.setObjectName("panel")
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 5, 12, 10)
        inside.setSpacing(8)
        inside.addWidget(self.layers)
        inside.addWidget(rule())
        self.facts_title = QLabel("Under the pointer")
        self.facts_title.setFont(font(strong=True))
        self.facts = QLabel()
        self.facts.setObjectName("quiet")
        self.facts.setWordWrap(True)
        inside.addWidget(self.facts_title)
        inside.addWidget(self.facts)
        inside.addStretch(1)
        scroll.setWidget(inner)
        right.addWidget(scroll)
        for widget in (self.left, self.canvas, self.right):
            middle.addWidget(widget, 1 if widget is self.canvas else 0)
        column.addLayout(middle, 1)
        column.addWidget(self.brush_strip)
        self.facts.setFont(font(SMALL_PT))

    def _connect(self) -> None:
        job = self.job
        job.changed.connect(self.show_job)
        self.course.changed.connect(lambda s, f, v, d: job.do(SetStage(s, f, v), merge=d))
        self.layers.taken.connect(job.choose_layer)
        self.layers.changed.connect(self._layer_changed)
        self.layers.moved.connect(lambda layer_id, index: job.do(MoveLayer("mend", layer_id, index)))
        self.layers.removed.connect(lambda layer_id: job.do(RemoveLayer("mend", layer_id)))
        self.layers.added.connect(self._add_layer)
        self.mends.picked.connect(self._pick)
        self.mends.removed.connect(lambda edit: job.do(RemoveEdits("mend", job.layer.id, (edit.id,))))
        self.brush_strip.changed.connect(self.canvas.update)
        self.control.brush_changed.connect(self.brush_strip.refresh)
        self.canvas.pen.connect(self._read_place)
        self.canvas.view_changed.connect(self._read_view)

    def _layer_changed(self, layer_id: str, field: str, value, dragging: bool) -> None:
        if getattr(self.job.mend.layer(layer_id), field) != value or not dragging:
            self.job.do(SetLayer("mend", layer_id, field, value), merge=field == "strength")

    def _add_layer(self) -> None:
        names = {layer.name for layer in self.job.mend.layers}
        number = len(names) + 1
        while f"Layer {number}" in names:
            number += 1
        self.job.add_layer(f"Layer {number}")

    def show_job(self, job: Job) -> None:
        layer = self.job.layer
        self.course.show_job(job, self._hint(job))
        self.layers.show_stage(self.job.mend, layer.id if layer else "")
        self.mends.show_layer(layer)
        self.canvas.set_job(job)

    def _hint(self, job: Job) -> str:
        edits = sum(1 for _ in job.edits())
        if not edits:
            return "Touch a spot and lift the pen: Lather finds the skin to use. Wheel zooms, Space and drag moves."
        if edits < 8:
            return "Mends lie on layers: turn one down, off, or take a mend out at any time. Hold Tab to see the photo."
        return "When the skin looks right, compare in Review, then Deliver."

    def _pick(self, edit) -> None:
        self.control.selected = edit
        if edit is not None:
            area = edit.bounds
            x, y = (area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2
            seen = self.canvas.view.visible(self.canvas.picture)
            if not (seen.x0 < x < seen.x1 and seen.y0 < y < seen.y1):
                self.canvas.centre_on(x, y)
        self.canvas.update()

    def _read_place(self, event) -> None:
        """Position and colour under the pointer, from the tile on screen."""
        if event.kind == "leave" or self.control.painting:
            return
        self._read_view()
        bounds = self.canvas.picture
        if not (bounds.x0 <= event.x < bounds.x1 and bounds.y0 <= event.y < bounds.y1):
            return
        text = self.canvas.colour_text(event.x, event.y)
        if text:
            self.facts.setText(f"{event.x:.0f}, {event.y:.0f} px\n{text}\nzoom {self._zoom_text()}")

    def _zoom_text(self) -> str:
        return f"{self.canvas.view.scale * 100:.0f} %"

    def _read_view(self) -> None:
        self.facts.setText(f"zoom {self._zoom_text()}")

    # keys

    def fold(self) -> None:
        """All panels away, so that the photo gets the window; and back."""
        show = not self.left.isVisible()
        for widget in (self.left, self.right, self.course):
            widget.setVisible(show)

    def press(self, action: str) -> None:
        if action in ("take_source", "drag_size", "drag_ceiling"):
            self.control.hold(action)
        elif action == "before":
            self.canvas.set_mode("before")
        elif action == "move":
            self.canvas.panning = True
            self.canvas.setCursor(Qt.CursorShape.OpenHandCursor)
        elif action == "fit":
            if abs(self.canvas.view.scale - 1) < 1e-6:
                self.canvas.fit()
            else:
                self.canvas.zoom_to(1.0)
        elif action == "next_tool":
            self.brush_strip.choose(self.state.next_tool())
        elif action == "fold":
            self.fold()
        elif action == "back":
            self.control.give_up()
            self.canvas.setFocus()

    def release(self, action: str) -> None:
        if action in ("take_source", "drag_size", "drag_ceiling"):
            self.control.let_go(action)
        elif action == "before":
            self.canvas.set_mode("after")
        elif action == "move":
            self.canvas.panning = False
            self.canvas.unsetCursor()

    def close_job(self) -> None:
        self.control.close()
        self.canvas.store.close()
