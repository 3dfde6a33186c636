"""The desk: course strip above, finds left, photo in the middle, layers right, brush strip below."""

from dataclasses import replace

from PyQt6.QtCore import QCoreApplication, QEvent, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from lather.core.job.changes import Change
from lather.core.job.commands import MoveLayer, RemoveLayer, SetLayer, SetStage
from lather.core.job.model import Job
from lather.core.lamps.base import ViewLamp
from lather.core.lamps.registry import LAMPS, PLAIN
from lather.core.phrases import phrase
from lather.core.plan.plan import Plan
from lather.desktop import settings
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.view import View
from lather.desktop.controls.areas.face_map import FaceControl
from lather.desktop.controls.areas.fence import FenceControl
from lather.desktop.controls.areas.parts import PartsControl
from lather.desktop.controls.beside.gauging import Gauging, gauged_by_itself
from lather.desktop.controls.beside.photo_measuring import Measured
from lather.desktop.controls.beside.settling import Settling
from lather.desktop.controls.finds.finds import FindsControl
from lather.desktop.controls.finds.overlay import draw_finds
from lather.desktop.controls.painting.ghost import GhostControl
from lather.desktop.controls.painting.graft import GraftControl
from lather.desktop.controls.painting.in_hand import InHand
from lather.desktop.controls.painting.pointer_overlay import draw_stroke_control
from lather.desktop.controls.painting.stroke import StrokeControl
from lather.desktop.controls.viewing.pin import PinControl
from lather.desktop.controls.viewing.remarks import draw_remarks
from lather.desktop.controls.viewing.tour import TourControl
from lather.desktop.desk.areas_panel import AreasPanel
from lather.desktop.desk.brush_strip import BrushStrip
from lather.desktop.desk.course_strip import CourseStrip
from lather.desktop.desk.finds_panel import FindsPanel
from lather.desktop.desk.lamps_panel import LampsPanel
from lather.desktop.desk.layers_panel import LayersPanel
from lather.desktop.desk.mends_panel import MendsPanel
from lather.desktop.desk.parts_panel import PartsPanel
from lather.desktop.desk.restraint_panel import RestraintPanel
from lather.desktop.desk.seen_foot import SeenFoot
from lather.desktop.desk.tour_panel import TourPanel
from lather.desktop.input.brush_state import BrushState
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.keys import TAKES_COMMANDS, keyed
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.screens.desk_in_hand import DeskInHand
from lather.desktop.screens.desk_keys import DeskKeys
from lather.desktop.screens.hints import hint
from lather.desktop.stages.base import DeskParts, StagePart
from lather.desktop.stages.registry import make_parts
from lather.desktop.texts import tr
from lather.desktop.theme.tokens import LEFT_PX, RIGHT_PX
from lather.desktop.widgets.choices import Choices
from lather.desktop.widgets.crops import Crops
from lather.desktop.widgets.frames import panel, rule, scrolled
from lather.desktop.window.message_line import MessageLine

_ROOM_FOR_LAMPS_PX = 900  # of the window's height, in which all lamps are seen
_ROOM_FOR_LISTS_PX = 720
_WIDE_PX, _MORE_PX = 1640, 56  # from which the lists are wider, and by how much


class DeskScreen(QWidget):
    """Puts the panels together and turns what they ask for into commands. stages: what each stage has of its own."""

    message = pyqtSignal(object)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self.state = BrushState()
        self._make_controls()
        self._make_panels()
        self._arrange()
        self.changing = DeskInHand(self)
        self._connect()
        self._tool_left: dict[str, str] = {}
        self._stage_left = job.stage_id
        self.keys = DeskKeys(self)
        self.press, self.release = self.keys.press, self.keys.release
        self.restraint.show_values({}, job.job.brief.get("kind"))
        self.show_job(job.job)
        self.settling = Settling(self.canvas, job, self)
        self.settling.going_on.connect(lambda text: self.messages.show_going_on(text, "settling"))
        self.settling.settled.connect(self._begin_beside)

    def _begin_beside(self) -> None:
        """What goes on beside the desk: once what the job holds is seen."""
        self.gauging.begin()
        if settings.value("finds_on_opening"):
            self.found.looking.found.connect(self.measured.ask)
            if self.job.job.finds is None:
                self.found.looking.start()
            else:
                self.measured.ask()
        elif gauged_by_itself():  # who wants no finds still works with a guard
            self.measured.ask()

    def _make_controls(self) -> None:
        job = self.job
        self.canvas = PhotoCanvas(job.session.engine, settings.display_profile().profile)
        self.canvas.failed.connect(self.message)
        self.canvas.pen.connect(self._pen)
        self.canvas.overlay = self._draw_over
        self.control = StrokeControl(self.canvas, job, self.state, self)
        self.graft = GraftControl(self.canvas, job, self.state, self.control.worker, self)
        self.fence = FenceControl(self.canvas, self.state, self.control.worker, self)
        self.face, self.parts = FaceControl(self.canvas, job, self), PartsControl(self.canvas, job, self)
        self.ghost = GhostControl(self.canvas, job, self.control, self)
        self.in_hand = InHand(self.canvas, job, self.control, self)
        self.measured = Measured(job, self)
        self.found = FindsControl(self.canvas, job, self)
        self.gauging = Gauging(job, self.measured, self)
        self.tour, self.pin = TourControl(self.canvas, job, self.measured, self), PinControl(self.canvas, self)
        self.control.keeper_near = self.found.keeper_near
        self.control.spared.mark_at = self.found.mark_at
        self.stages = make_parts(DeskParts(self.canvas, job, self.found, self.measured, self.control), self)
        job.parts = self.stages
        self.control.stage_text = lambda: self.part.pointer_text()
        self.control.stage_stroke = lambda stroke: self.part.begun(stroke)
        self.control.values.measured_size = lambda x, y: self.part.measured_size(x, y)
        self.control.values.guard = lambda: self.control.spared.guard
        self.control.values.face_px = lambda: job.job.face_map.width_px if job.job.face_map is not None else None
        self._pens = (self.pin, self.face, self.parts, self.fence, self.ghost, self.in_hand, self.graft)

    def _make_panels(self) -> None:
        self.course = CourseStrip()
        self.brush_strip = BrushStrip(self.state)
        self.crops = Crops(self.job.session.photo, self.canvas.converter, self)
        self.finds = FindsPanel(self.found, self.crops)
        self.mends = MendsPanel(self.crops)
        self.layers = LayersPanel()
        self.restraint = RestraintPanel()
        self.lamps, self.parts_panel = LampsPanel(), PartsPanel(self.parts)
        self.tours = TourPanel(self.tour, self.pin)
        self._view_left: View | None = None
        self.areas = AreasPanel(self.fence, self.face)
        self.messages = MessageLine()
        self._rules: dict[str, QFrame] = {}

    @property
    def part(self) -> StagePart:
        """What the stage in hand has of its own."""
        return self.stages[self.job.stage_id]

    def _pen(self, event) -> None:
        """Hand a pen event to whoever it is for: face map, fence, a source being moved, a graft, the stage, else the
        brush.
        """
        if self.canvas.mode == "after" and not self.control.painting and not self.control.held:
            for control in (*self._pens, self.part):
                if control.pen_event(event):
                    self.control.follow(event)
                    return
            if event.kind == "press":
                self.in_hand.let_go()
        self.control.pen_event(event)

    def _draw_over(self, painter, canvas) -> None:
        if canvas.mode != "after" or canvas.navigation.panning:
            return
        self.part.draw(painter, canvas)
        draw_finds(painter, canvas, self.found)
        draw_remarks(painter, canvas, self.job.job)
        for control in (self.graft, self.fence, self.face, self.parts):
            control.draw(painter, canvas)
        taken = self.fence.drawing or self.face.editing or self.parts.on or self.graft.active
        if not self.control.painting_now:
            self.in_hand.draw(painter)
        if not (taken or self.part.takes_pointer() or self.in_hand.arrow):
            draw_stroke_control(painter, canvas, self.control)
        if not self.control.painting_now or self.pin.place is not None:
            self.pin.draw(painter, canvas, self.state.brush.size_px / 2 * canvas.view.scale)

    # layout

    def _arrange(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.course)
        photo = QVBoxLayout()
        photo.setSpacing(0)
        photo.addWidget(self.canvas, 1)
        photo.addWidget(self.messages)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._left_side())
        middle.addLayout(photo, 1)
        middle.addWidget(self._right_side())
        column.addLayout(middle, 1)
        column.addWidget(self.brush_strip)
        self.setProperty(TAKES_COMMANDS, True)
        leave_keys_to_the_photo(self)

    def _left_side(self) -> QWidget:
        self.left = panel(LEFT_PX)
        left = QVBoxLayout(self.left)
        left.setContentsMargins(0, 8, 0, 0)
        left.setSpacing(2)
        self.lists = Choices("List", {"finds": "Finds", "mends": "Mends"}, "finds")
        self.lists.chosen.connect(self.show_list)
        for part in self.stages.values():
            if part.choice_panel is not None:
                left.addWidget(part.choice_panel)
        head = QHBoxLayout()
        head.setContentsMargins(10, 0, 8, 0)
        head.addWidget(self.lists)
        left.addLayout(head)
        self.list_stack = QStackedWidget()
        self.list_stack.addWidget(self.finds)
        self.list_stack.addWidget(self.mends)
        for part in self.stages.values():
            if part.list_panel is not None:
                self.list_stack.addWidget(part.list_panel)
        left.addWidget(self.list_stack, 1)
        return self.left

    def _right_side(self) -> QWidget:
        """Layers, the stage's own box, restraint, lamps; then what is for all stages alike."""
        self.right = panel(RIGHT_PX)
        right = QVBoxLayout(self.right)
        right.setContentsMargins(0, 0, 0, 0)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 5, 12, 10)
        inside.setSpacing(8)
        inside.addWidget(self.layers)
        inside.addWidget(rule())
        for stage_id, part in self.stages.items():
            if part.panel is not None:
                inside.addWidget(part.panel)
                self._rules[stage_id] = rule()
                inside.addWidget(self._rules[stage_id])
        for widget in (self.restraint, self.lamps, self.tours, self.areas):
            inside.addWidget(widget)
            if widget is self.lamps:
                inside.addWidget(self.parts_panel)
            inside.addWidget(rule())
        inside.addStretch(1)
        right.setSpacing(0)
        right.addWidget(scrolled(inner), 1)
        right.addWidget(rule())
        self.seen = SeenFoot(self.canvas, self.job, self)  # never scrolled away
        right.addWidget(self.seen)
        return self.right

    def _connect(self) -> None:
        job = self.job
        job.changed.connect(self.show_job)
        job.stage_changed.connect(self._stage_changed)
        self.course.taken.connect(job.choose_stage)
        self.layers.taken.connect(job.choose_layer)
        self.layers.changed.connect(self._layer_changed)
        self.layers.stage_changed.connect(lambda f, v, d: job.do(SetStage(job.stage_id, f, v), merge=d))
        self.layers.moved.connect(lambda layer_id, index: job.do(MoveLayer(job.stage_id, layer_id, index)))
        self.layers.removed.connect(lambda layer_id: job.do(RemoveLayer(job.stage_id, layer_id)))
        self.layers.named.connect(self.canvas.setFocus)
        self.layers.added.connect(self._add_layer)
        self.brush_strip.tool_chosen.connect(self._tool_chosen)
        self.brush_strip.cards.failed.connect(self.message)
        self.canvas.pen.connect(self._read_place)
        for part in (self.pin, self.control, self.graft, self.fence, self.face, self.parts, self.found, self.ghost,
                     self.in_hand, self.measured, self.gauging, *self.stages.values()):
            part.message.connect(self.message)
        for stage_id, part in self.stages.items():
            part.going_on.connect(lambda text, stage_id=stage_id: self.messages.show_going_on(text, stage_id))
        for part in self.stages.values():
            part.tool_wanted.connect(self.changing.choose_tool)
        self.lamps.chosen.connect(self._take_lamp)
        self.measured.ready.connect(self._measured)
        for areas in (self.face, self.parts):
            areas.moved.connect(self.found.looking.start)
        self.parts.moved.connect(self.measured.ask)
        self.found.looking.found.connect(self._found_all)
        self.found.changed.connect(lambda: self.messages.show_hint(hint(job.job, self.found, self.part)))
        self.gauging.gauged.connect(lambda values: self.restraint.show_values(values, job.job.brief.get("kind")))

    # what is asked for

    def _stage_changed(self) -> None:
        if not self.messages.stays:  # it was about the stage that was left
            self.messages.clear()
        self.graft.give_up()
        self.in_hand.stage_left()
        tools = self.part.tools()
        self._tool_left[self._stage_left] = self.state.tool
        self._stage_left = self.job.stage_id
        wanted = self._tool_left.get(self.job.stage_id)
        if tools:
            self.changing.choose_tool(wanted if wanted in tools else tools[0])
        self.lamps.choose(PLAIN)
        self.part.chosen()
        self.lists.button("finds").setText(tr(self.part.list_name or "Finds"))
        self.show_list("finds" if self.job.info.finds or self.part.list_panel is not None else "mends")
        if self.job.stage_id != "mend":
            self.measured.ask()

    def take_plan(self, plan: Plan) -> None:
        """Begin with what the plan says."""
        row = plan.row("mend")
        if row.start is not None:
            self.state.start_with("dab", row.start[1])
            self.brush_strip.refresh()

    def _tool_chosen(self) -> None:
        self.graft.give_up()
        self.fence.set_drawing(False)
        self.canvas.update()

    def _take_lamp(self, lamp_id: str) -> None:
        self._look_from(lamp_id)
        self.parts.set_on(lamp_id == "parts")
        if lamp_id == PLAIN or isinstance(LAMPS[lamp_id], ViewLamp):
            self.canvas.set_lamp(PLAIN)
            return
        self.measured.ask()
        layer, face, measures = self.job.layer, self.job.job.face_map, self.measured.measures
        parted = layer.settings if layer is not None and "width_px" in layer.settings else {}
        seen = {
            "width_px": self.measured.split_px,
            "face_px": face.width_px if face is not None else 0.0,
            "skin_lab": measures.skin_lab if measures is not None else None,
        }
        self.canvas.set_lamp(lamp_id, seen | parted | self.lamps.settings)

    def _look_from(self, lamp_id: str) -> None:
        """Lamps that only look from elsewhere: mirrored, or as large as the picture is delivered."""
        canvas = self.canvas
        canvas.set_mirrored(lamp_id == "mirror")
        if lamp_id == "delivered":
            self._view_left = self._view_left or canvas.view
            long_edge = max(canvas.picture.width, canvas.picture.height)
            canvas.zoom_to(self.lamps.settings["strength"] / long_edge)
        elif self._view_left is not None:
            canvas.set_view(replace(self._view_left, mirrored=canvas.view.mirrored, width=canvas.view.width,
                                    height=canvas.view.height))
            self._view_left = None

    def show_list(self, key: str) -> None:
        self.lists.set_value(key)
        self.list_stack.setCurrentWidget((self.part.list_panel or self.finds) if key == "finds" else self.mends)

    def _layer_changed(self, layer_id: str, field: str, value, dragging: bool) -> None:
        if getattr(self.job.stage.layer(layer_id), field) != value or not dragging:
            self.job.do(SetLayer(self.job.stage_id, layer_id, field, value), merge=field == "strength")

    def _add_layer(self) -> None:
        names = {layer.name for layer in self.job.stage.layers}
        number = len(names) + 1
        while phrase("Layer %1", number) in names:
            number += 1
        self.job.add_layer(phrase("Layer %1", number) if names else "")
        self.layers.rename(self.job.layer_id)

    def _found_all(self) -> None:
        """What was said while the photo was looked through is out of date."""
        if not self.messages.stays:
            self.messages.clear()

    def _measured(self) -> None:
        face, self.control.spared.guard = self.measured.measures.face, self.measured.guard
        if face is not None:
            self.state.fit_to_face(face.width_px)
            self.brush_strip.refresh()
        self.lamps.set_start("grey", 100 * self.measured.measures.grey_mix)
        self.tours.refresh()
        self.show_job(self.job.job)

    # what is shown

    def show_change(self, change: Change) -> None:
        """Take in hand what was undone or redone, and bring it into view."""
        self.found.mending.stay()
        self.job.show(change)
        if not change.area.empty:
            self.canvas.bring_into_view(change.area)

    def show_job(self, job: Job) -> None:
        layer, info, part = self.job.layer, self.job.info, self.part
        self.course.show_job(job, info.id)
        self.messages.show_hint(hint(job, self.found, part))
        self.layers.show_stage(self.job.stage, layer.id if layer and not part.proposes() else "", info.label)
        self.brush_strip.offer(part.tools())
        for stage_id, line in self._rules.items():
            self.stages[stage_id].panel.setVisible(stage_id == info.id)
            line.setVisible(stage_id == info.id)
        for other in self.stages.values():
            if other.choice_panel is not None:
                other.choice_panel.setVisible(other is part)
        self.brush_strip.show_beside(part.strip)
        part.show_job()
        self.lists.button("mends").setText(tr(info.edits_label))
        self.mends.show_layer(layer, info, keyed(part.empty_text()))
        self.changing.show_job()
        if self.canvas.lamp != PLAIN:
            self._take_lamp(self.lamps.value)
        self.parts.refresh()
        self.tours.refresh()
        self.canvas.set_job(job)
        # The right panel may hold other rows now: lay them out before they are painted, not a frame later.
        QCoreApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)

    def _read_place(self, event) -> None:
        if event.kind != "leave" and not self.control.painting:
            self.part.hovered(event)
            self.seen.read_place(event)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self.lamps.fold(self.height() < _ROOM_FOR_LAMPS_PX)
        self.left.setFixedWidth(LEFT_PX + _MORE_PX * (self.width() >= _WIDE_PX))
        for part in self.stages.values():
            part.set_low(self.height() < _ROOM_FOR_LISTS_PX)

    def fold(self) -> None:
        """All panels away, so that the photo gets the window; and back."""
        show = not self.left.isVisible()
        for widget in (self.left, self.right, self.course):
            widget.setVisible(show)

    def idle(self) -> bool:
        """True when nothing is looked for, mended, measured or shown any more."""
        beside = (self.found, self.measured, self.gauging, self.face, self.parts, self.crops, *self.stages.values())
        return not self.settling.waiting and self.seen.idle() and all(part.idle() for part in beside)

    def close_job(self) -> None:
        beside = (self.gauging, self.face, self.parts, *self.stages.values(), self.measured, self.found, self.crops)
        self.seen.close_job()
        for part in (*beside, self.control, self.canvas.store):
            part.close()
