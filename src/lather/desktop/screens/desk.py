"""The desk: course strip above, finds left, photo in the middle, layers right, brush strip below."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from lather.core.job.changes import Change
from lather.core.job.commands import MoveLayer, RemoveEdits, RemoveLayer, SetLayer, SetStage
from lather.core.job.model import Job
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.areas import AreasPanel
from lather.desktop.panels.brush_strip import BrushStrip
from lather.desktop.panels.choices import Choices
from lather.desktop.panels.course_strip import CourseStrip
from lather.desktop.panels.crops import Crops
from lather.desktop.panels.finds import FindsPanel
from lather.desktop.panels.layers import LayersPanel
from lather.desktop.panels.mends import MendsPanel
from lather.desktop.panels.message_line import MessageLine
from lather.desktop.panels.restraint import RestraintPanel
from lather.desktop.screens.area_control import AreaControl
from lather.desktop.screens.face_control import FaceControl
from lather.desktop.screens.fence_control import FenceControl
from lather.desktop.screens.finds_control import FindsControl
from lather.desktop.screens.ghost_control import GhostControl
from lather.desktop.screens.graft_control import GraftControl
from lather.desktop.screens.measured import Measured
from lather.desktop.screens.stage_control import StageControl
from lather.desktop.screens.stroke_control import StrokeControl
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import LEFT_PX, RIGHT_PX, SMALL_PT

_DECISIONS = ("mend_find", "keep_find", "skip_find", "next_find")
_KEEP_LINGERING = ("before", "move", "next_source", "previous_find", "key_sheet")
_MARK = (
    "A mark on the skin is the client's to ask a doctor about: Lather judges looks, not health. "
    "It stays unless they want it gone."
)
CAUTIONS = {
    "mole": _MARK,
    "freckle": "Freckles belong to the person; they stay unless the person wants them gone.",
    "scar": "Permanent marks stay unless the person wants them gone: ask first. A photo for an identity document must "
            "not be retouched.",
    "under_eye": "Softened, not deleted: what is left is measured at the right. Less than the band reads as painted.",
    "crease": "Softened, not deleted: lines belong to the likeness. What is left is measured at the right.",
}
HINTS = {
    "strands": "W steps through the hairs, E clears one; or clear all listed. Paint along a hair to clear it yourself.",
    "split": "Outline uneven skin with Area: its tone is evened, pores stay. See texture or tone alone at the right.",
    "grain": "Switch on “Put back where it is missing”: what smoothing took returns, nothing else changes.",
}
_GRAIN_IS_BACK = "Grain is back wherever it was missing; Grain match tells how well. Paint where you want more of it."
_MENDED = "Mended: F takes other skin, Z takes it back. W goes on to the next, which comes by itself right after E."
_GENTLE = "Leave folds and flush: they are what a child is made of."


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
        self.graft = GraftControl(self.canvas, job, self.state, self.control.worker, self)
        self.fence = FenceControl(self.canvas, self.state, self.control.worker, self)
        self.face = FaceControl(self.canvas, job, self.control.worker, self)
        self.ghost = GhostControl(self.canvas, job, self.control, self)
        self.measured = Measured(job, self)
        self.found = FindsControl(self.canvas, job, self.measured, self)
        self.area = AreaControl(self.canvas, job, self.state, self.control.worker, self)
        self.stages = StageControl(self.canvas, job, self.found, self.measured, self)
        self.control.keeper_near = self.found.keeper_near
        self._pens = (self.face, self.fence, self.ghost, self.graft, self.area)
        self.canvas.pen.connect(self._pen)
        self.canvas.overlay = self._draw_over
        self.course = CourseStrip()
        self.brush_strip = BrushStrip(self.state)
        crops = Crops(job.session.photo, self.canvas.converter)
        self.finds = FindsPanel(self.found, crops)
        self.mends = MendsPanel(crops)
        self.layers = LayersPanel()
        self.restraint = RestraintPanel()
        self.areas = AreasPanel(self.fence, self.face)
        self._rules: dict[str, QFrame] = {}
        self._tool_left: dict[str, str] = {}
        self._stage_left = job.stage_id
        self._arrange()
        self._connect()
        self.found.found.connect(self._found_all)
        self.found.changed.connect(lambda: self.messages.show_hint(self._hint(job.job)))
        self.show_job(job.job)
        if settings.finds_on_opening():
            self.found.found.connect(self.measured.ask)
            if job.job.finds is None:
                self.found.find()
            else:
                self.measured.ask()

    def _pen(self, event) -> None:
        """Hand a pen event to whoever it is for: face map, fence, a source being moved, a graft, else the brush."""
        if self.canvas.mode == "after" and not self.control.painting and not self.control.held:
            for control in self._pens:
                if control.pen_event(event):
                    self.control.follow(event)
                    return
        self.control.pen_event(event)

    def _draw_over(self, painter, canvas) -> None:
        if canvas.mode != "after" or canvas.panning:
            return
        self.stages.draw(painter, canvas)
        self.found.draw(painter, canvas)
        self.graft.draw(painter, canvas)
        if self.area.active:
            self.area.draw(painter, canvas)
        self.fence.draw(painter, canvas)
        self.face.draw(painter, canvas)
        if not (self.fence.drawing or self.face.editing or self.graft.active or self.area.active):
            self.control.draw(painter, canvas)

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.course)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.left = panel(LEFT_PX)
        left = QVBoxLayout(self.left)
        left.setContentsMargins(0, 8, 0, 0)
        left.setSpacing(2)
        self.lists = Choices("List", {"finds": "Finds", "mends": "Mends"}, "finds")
        self.lists.chosen.connect(self.show_list)
        head = QHBoxLayout()
        head.setContentsMargins(10, 0, 8, 0)
        head.addWidget(self.lists)
        left.addLayout(head)
        self.list_stack = QStackedWidget()
        self.list_stack.addWidget(self.finds)
        self.list_stack.addWidget(self.mends)
        left.addWidget(self.list_stack, 1)
        self.right = panel(RIGHT_PX)
        right = QVBoxLayout(self.right)
        right.setContentsMargins(0, 0, 0, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner = QWidget()
        inner.setObjectName("panel")
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 5, 12, 10)
        inside.setSpacing(8)
        inside.addWidget(self.layers)
        inside.addWidget(rule())
        for key, widget in self.stages.panels.items():
            inside.addWidget(widget)
            self._rules[key] = rule()
            inside.addWidget(self._rules[key])
        inside.addWidget(self.restraint)
        inside.addWidget(rule())
        inside.addWidget(self.areas)
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
        self.messages = MessageLine()
        photo = QVBoxLayout()
        photo.setSpacing(0)
        photo.addWidget(self.canvas, 1)
        photo.addWidget(self.messages)
        middle.addWidget(self.left)
        middle.addLayout(photo, 1)
        middle.addWidget(self.right)
        column.addLayout(middle, 1)
        column.addWidget(self.brush_strip)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)
        self.facts.setFont(font(SMALL_PT))

    def _connect(self) -> None:
        job = self.job
        job.changed.connect(self.show_job)
        self.course.changed.connect(lambda s, f, v, d: job.do(SetStage(s, f, v), merge=d))
        self.layers.taken.connect(job.choose_layer)
        self.layers.changed.connect(self._layer_changed)
        self.layers.moved.connect(lambda layer_id, index: job.do(MoveLayer(job.stage_id, layer_id, index)))
        self.layers.removed.connect(lambda layer_id: job.do(RemoveLayer(job.stage_id, layer_id)))
        self.course.taken.connect(job.choose_stage)
        job.stage_changed.connect(self._stage_changed)
        self.measured.ready.connect(self._measured)
        self.layers.named.connect(self.canvas.setFocus)
        self.layers.added.connect(self._add_layer)
        self.mends.picked.connect(self._pick)
        self.mends.removed.connect(lambda edit: job.do(RemoveEdits(job.stage_id, job.layer.id, (edit.id,))))
        self.brush_strip.changed.connect(self.canvas.update)
        self.control.brush_changed.connect(self.brush_strip.refresh)
        self.canvas.pen.connect(self._read_place)
        self.canvas.view_changed.connect(self._read_view)
        for control in (self.control, self.graft, self.fence, self.face, self.found, self.ghost, self.area,
                        self.stages):
            control.message.connect(self.message)
        self.brush_strip.tool_chosen.connect(self._tool_chosen)
        self.brush_strip.cards.failed.connect(self.message)
        self.face.moved.connect(self.found.find)
        self.found.gauged.connect(lambda values: self.restraint.show_values(values, self.job.job.brief.get("kind")))

    def _stage_changed(self) -> None:
        self.graft.give_up()
        self.control.selected = None
        tools = self.job.info.tools_for(self.job.layer)
        self._tool_left[self._stage_left] = self.state.tool
        self._stage_left = self.job.stage_id
        wanted = self._tool_left.get(self.job.stage_id, tools[0])
        self.brush_strip.choose(wanted if wanted in tools else tools[0])
        self.show_list("finds" if self.job.stage_id in ("mend", "strands") else "mends")
        if self.job.stage_id != "mend":
            self.measured.ask()

    def _tool_chosen(self) -> None:
        self.graft.give_up()
        self.fence.set_drawing(False)
        self.canvas.update()

    def show_list(self, key: str) -> None:
        self.lists.set_value(key)
        self.list_stack.setCurrentWidget(self.finds if key == "finds" else self.mends)

    def _layer_changed(self, layer_id: str, field: str, value, dragging: bool) -> None:
        if getattr(self.job.stage.layer(layer_id), field) != value or not dragging:
            self.job.do(SetLayer(self.job.stage_id, layer_id, field, value), merge=field == "strength")

    def _add_layer(self) -> None:
        names = {layer.name for layer in self.job.stage.layers}
        number = len(names) + 1
        while f"Layer {number}" in names:
            number += 1
        self.job.add_layer(f"Layer {number}" if names else "")
        self.layers.rename(self.job.layer_id)

    def _found_all(self) -> None:
        """What was said while the photo was looked through is out of date."""
        if not self.messages.stays:
            self.messages.clear()

    def _measured(self) -> None:
        face = self.measured.measures.face
        if face is not None:
            self.state.fit_to_face(face.width_px)
            self.brush_strip.refresh()
        self.show_job(self.job.job)

    def show_change(self, change: Change) -> None:
        """Take in hand what was undone or redone, and bring it into view."""
        self.found.stay()
        self.job.show(change)
        if not change.area.empty:
            self.canvas.bring_into_view(change.area)

    def show_job(self, job: Job) -> None:
        layer = self.job.layer
        info = self.job.info
        self.course.show_job(job, info.id)
        self.messages.show_hint(self._hint(job))
        self.layers.show_stage(self.job.stage, layer.id if layer else "", info.label)
        self.brush_strip.offer(info.tools_for(layer))
        self.stages.show_job()
        for key, widget in self._rules.items():
            widget.setVisible(key == info.id)
        self.mends.word = info.edit_word
        self.lists.button("mends").setText(f"{info.edit_word.capitalize()}s")
        self.mends.show_layer(layer, info.id)
        self.canvas.set_job(job)

    def _hint(self, job: Job) -> str:
        states, current = self.found.states(), self.found.current
        if current is not None and states.get(current.id) == "mended":
            return _MENDED
        elsewhere = HINTS.get(self.job.stage_id)
        if self.job.stage_id == "grain" and any(x.settings.get("everywhere") for x in job.stage("grain").layers):
            elsewhere = _GRAIN_IS_BACK
        if elsewhere and current is None:
            return elsewhere
        edits = sum(1 for _ in job.edits())
        caution = CAUTIONS.get(current.kind, "") if current is not None else ""
        if caution:
            return caution
        if str(job.brief.get("kind", "")).startswith("newborn"):
            return "A child's picture needs the guardian's consent. " + _GENTLE
        left = sum(state == "open" for state in states.values())
        if left and current is not None:
            if self.job.stage_id == "strands":
                return f"E clears this hair, R keeps it, T skips it; {left} are open."
            return f"E mends this find, R keeps it, T skips it; {left} are open. F takes other skin for the last mend."
        if left:
            return "W goes to the first find; E mends it, R keeps it, T skips it. Or touch any spot yourself."
        if not edits:
            return "Touch a spot and lift the pen: Lather finds the skin to use. Wheel zooms, Space and drag moves."
        if edits < 8:
            return "Mends lie on layers: turn one down, off, or take a mend out at any time. Hold Tab to see the photo."
        return "When the skin looks right, compare in Review, then Deliver."

    def _pick(self, edit) -> None:
        self.control.selected = edit
        if edit is not None:
            self.canvas.bring_into_view(edit.bounds)
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
        if self.found.lingering and action not in _KEEP_LINGERING:
            self.found.go_on()
            if action in _DECISIONS:
                return  # the key has done its work: the next find is in sight, to be decided on
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
        elif action in self._find_keys:
            self._find_keys[action]()
        elif action == "next_source":
            self.found.stay()
            self.area.again() or self.graft.next_source() or self.ghost.next_source()
        elif action == "lay_down":
            self.graft.lay_down()
        elif action == "other_card":
            self.brush_strip.cards.other()
        elif action == "fold":
            self.fold()
        elif action == "rename_layer" and self.job.layer is not None:
            self.layers.rename(self.job.layer.id)
        elif action == "back":
            if not self.graft.give_up():
                self.control.give_up()
            self.fence.set_drawing(False)
            self.face.set_editing(False)
            self.canvas.setFocus()

    @property
    def _find_keys(self) -> dict:
        found = self.found
        return {"previous_find": found.back, "next_find": lambda: found.step(1), "mend_find": found.mend,
                "keep_find": lambda: found.decide("keep"), "skip_find": lambda: found.decide("skip")}

    def release(self, action: str) -> None:
        if action in ("take_source", "drag_size", "drag_ceiling"):
            self.control.let_go(action)
        elif action == "before":
            self.canvas.set_mode("after")
        elif action == "move":
            self.canvas.panning = False
            self.canvas.unsetCursor()

    def close_job(self) -> None:
        self.measured.close()
        self.stages.close()
        self.found.close()
        self.control.close()
        self.canvas.store.close()
