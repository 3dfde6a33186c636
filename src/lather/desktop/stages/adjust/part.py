"""A stage of adjustments on the desk: list, mask, box, and the tools that say what a layer goes by."""

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QStackedWidget

from lather.core.colour.lab import srgb_to_lab
from lather.core.job.commands import AddEdits, AddLayer, Command, SetLayer, Together
from lather.core.job.fence import Fence
from lather.core.job.model import Job, Layer, Stroke, freeze_points, new_id
from lather.core.measure.adjust_readout import readout_of
from lather.core.measure.colours import beneath
from lather.core.mending.adjustment_start import measured_settings
from lather.core.phrases import phrase
from lather.core.stages.adjust.kind import AdjustmentKind
from lather.core.stages.mend.grow_fence import grow_fence
from lather.core.types import Rect
from lather.desktop.background import Background, Task, aside
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_outline, draw_tag
from lather.desktop.controls.painting.outline_trail import OutlineTrail
from lather.desktop.input.focus import leave_keys_to_the_photo
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.adjust.box import USE, AdjustBox
from lather.desktop.stages.adjust.list_panel import AdjustmentsPanel
from lather.desktop.stages.adjust.mask_hatch import MaskHatch
from lather.desktop.stages.adjust.mask_strip import BY_ZONE, EVERYWHERE, MaskStrip
from lather.desktop.stages.base import StagePart
from lather.desktop.widgets.made_when_wanted import MadeWhenWanted

_SETTLED_MS = 250  # after the last change, before it is measured what came of it
_LEAST_SIDE_PX = 6.0
_MOST_FEATHER = 0.15  # of the narrow side of an outline: the rest of it is covered in full
_OUTLINED = ("mask_area", "target", "reference")
_PICK_PX = 5
_STEP_ASIDE = (14, -14)
_PROPOSED = phrase("Nothing is changed yet: use it as proposed, change a value, choose where it acts, or paint.")


class AdjustPart(StagePart):
    """boxes: of kinds that show more than sliders."""

    boxes: dict[str, type[AdjustBox]] = {}
    default_zone = "skin"

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.state = desk.strokes.state
        self.kinds: dict[str, type[AdjustmentKind]] = info.kinds
        self._chosen_kind = info.kind.id
        self._proposal = ("", "")  # kind that was chosen, and the layer in hand then
        self.hatch = MaskHatch(self.canvas, self)
        self._background = Background(self)
        self._trail = OutlineTrail()
        self._make_panels()
        self._later = QTimer(self, singleShot=True, interval=_SETTLED_MS)
        self._later.timeout.connect(self._measure)
        self._shown_kind = ""

    def _make_panels(self) -> None:
        self.list = self.choice_panel = AdjustmentsPanel(self.kinds.values())
        self.list.taken.connect(self.show_kind)
        self.strip = MaskStrip()
        self.strip.hide()
        self.strip.how_chosen.connect(self._start_chosen)
        self.strip.zone_switched.connect(self._zone_switched)
        self.strip.feathered.connect(lambda px, dragging: self._set({"mask_feather_px": px}, dragging))
        self.strip.turned.connect(self._turn)
        self.strip.shown.connect(self.hatch.set_shown)
        self.panel = QStackedWidget()
        self.box = MadeWhenWanted(self._make_box)

    def _make_box(self, kind_id: str) -> AdjustBox:
        box = self.boxes.get(kind_id, AdjustBox)(self.kinds[kind_id])
        box.changed.connect(self._changed)
        box.asked.connect(self._asked_of_box)
        leave_keys_to_the_photo(box)  # it is made after the desk's own controls were told so
        self.panel.addWidget(box)
        return box

    # what is in hand

    @property
    def _proposed(self) -> str:
        """The kind that was chosen and has no layer yet; "" once it has, or another layer is in hand."""
        kind_id, layer_id = self._proposal
        there = any(layer.kind == kind_id for layer in self.job.job.stage(self.info.id).layers)
        return kind_id if kind_id and not there and layer_id == self.job.layer_id else ""

    def proposes(self) -> bool:
        return bool(self._proposed)

    def tools(self) -> tuple[str, ...]:
        return self.kind.tools if self._proposed else super().tools()

    @property
    def kind(self) -> type[AdjustmentKind]:
        """Of what was chosen, of the layer in hand, or of the next one."""
        if self._proposed:
            return self.kinds[self._proposed]
        layer = self.job.layer
        return self.kinds[layer.kind if layer is not None and layer.kind in self.kinds else self._chosen_kind]

    @property
    def layer(self) -> Layer | None:
        layer = None if self._proposed else self.job.layer
        return layer if layer is not None and layer.kind in self.kinds else None

    def show_kind(self, kind_id: str) -> None:
        """Take a kind in hand; where it has no layer yet its box is shown, and the first change or stroke makes one."""
        if any(layer.kind == kind_id for layer in self.job.stage.layers):
            self.take_kind(kind_id)
            return
        self._chosen_kind, self._proposal = kind_id, (kind_id, self.job.layer_id)
        self.job.changed.emit(self.job.job)

    def take_kind(self, kind_id: str) -> None:
        """Take the topmost layer of a kind in hand, or the one below the one in hand; make one where there is none."""
        layers = [layer for layer in self.job.stage.layers if layer.kind == kind_id]
        self._chosen_kind = kind_id
        if not layers:
            self.make_layer(kind_id)
            return
        ids = [layer.id for layer in layers]
        at = ids.index(self.job.layer_id) if self.job.layer_id in ids else 0
        self.job.choose_layer(ids[at - 1])

    def make_layer(self, kind_id: str, *, part: str = "", name: str = "") -> None:
        """A new layer, as soon as what it goes by is measured."""
        job, engine, grain = self.job.job, self.canvas.engine, self.desk.measured.grain
        stage_id, kind = self.info.id, self.kinds[kind_id]

        def work(task) -> dict | None:
            return measured_settings(engine, job, stage_id, kind_id, part=part, grain=grain)

        def take(settings: dict | None) -> None:
            if settings is None:
                self.message.emit(phrase("%1: what it needs is not seen here; paint or outline it by hand.",
                                         kind.label))
                settings = kind.new_settings()
            label = name or self.job.job.stage(stage_id).free_name(self.layer_name(kind, settings))
            layer = Layer(new_id(), label, kind_id, settings=settings)
            self.job.do(AddLayer(stage_id, layer, len(self.job.job.stage(stage_id).layers)))
            if self.in_hand:
                self.job.choose_layer(layer.id)

        self.do_beside("measure a layer", phrase("Measuring what %1 goes by …", kind.label), work, take)

    def do_beside(self, name: str, says: str, work: Callable[[Task], object], take: Callable[[Any], None]) -> None:
        """What was asked for by a click, done after what was asked for before; says: what stands there until then."""
        def end(then: Callable[[], None]) -> None:
            self.going_on.emit("")
            then()

        self.going_on.emit(says)
        self._background.run(name, work, lambda value: end(lambda: take(value)),
                             failed=lambda text: end(lambda: self.message.emit(text)), queued=True)

    def layer_name(self, kind: type[AdjustmentKind], settings: dict) -> str:
        """What a new layer is called."""
        return kind.label

    def new_layer_kind(self) -> str:
        return self.kind.id

    def new_layer_name(self) -> str:
        return self.job.job.stage(self.info.id).free_name(self.kind.label)

    def new_layer_settings(self) -> dict:
        """Measured beside the window; what is pressed meanwhile waits until the layer is there."""
        engine, job, kind, grain = self.canvas.engine, self.job.job, self.kind, self.desk.measured.grain
        self.going_on.emit(phrase("Measuring what %1 goes by …", kind.label))
        try:
            settings = aside(lambda: measured_settings(engine, job, self.info.id, kind.id, grain=grain))
        finally:
            self.going_on.emit("")
        if settings is None:
            self.message.emit(phrase("%1: what it needs is not seen here; paint or outline it by hand.", kind.label))
        return kind.new_settings() if settings is None else settings

    def chosen(self) -> None:
        """Zones are looked for before the first layer asks for them."""
        engine, job = self.canvas.engine, self.job.job
        place = Rect(0, 0, 1, 1)

        def work(task) -> None:
            around = engine.stack(job).above()
            if engine.zones is not None:
                for zone in ("skin", "lips", "brows"):
                    around.zones.mask(zone, around.faces, place, 0)

        self._background.run("zones", work, lambda _: None, failed=self.message.emit, newest=True)

    # settings

    def _set(self, values: dict, dragging: bool = False) -> None:
        layer = self.layer
        if layer is not None:
            self.job.do_dragged(SetLayer(self.info.id, layer.id, "settings", values), dragging)

    def _changed(self, values: dict, dragging: bool) -> None:
        """The box asks for other values; where there is no layer yet, one is made with them."""
        if self.layer is None:
            self.job.ensure_layer()
        self._set(values, dragging)

    def _asked_of_box(self, word: str) -> None:
        if word == USE:
            self.make_layer(self.kind.id)
        else:
            self._asked(word)

    def _asked(self, word: str) -> None:
        """A button of a box."""

    def _start_chosen(self, how: str) -> None:
        layer = self.job.ensure_layer()
        zones = list(layer.settings.get("zones") or [self.default_zone]) if how == BY_ZONE else []
        self._set({"everywhere": how == EVERYWHERE, "zones": zones})
        self.hatch.flash()

    def _zone_switched(self, zone: str, on: bool) -> None:
        layer = self.job.ensure_layer()
        zones = [one for one in layer.settings.get("zones") or () if one != zone] + [zone] * on
        self._set({"everywhere": False, "zones": zones})
        self.hatch.flash()

    def _turn(self) -> None:
        layer = self.layer
        if layer is not None:
            self._set({"turned": not layer.settings.get("turned")})
            self.hatch.flash()
        self.show_job()

    def act(self, action: str) -> bool:
        if action == "turn_mask":
            self._turn()
        elif action == "show_mask":
            self.strip.show_mask.setChecked(not self.strip.show_mask.isChecked())
            self.hatch.set_shown(self.strip.show_mask.isChecked())
        return True

    # what is shown

    def show_job(self) -> None:
        layer, kind = self.layer, self.kind
        if kind.id != self._shown_kind:
            self._shown_kind = kind.id
            self.tool_wanted.emit(kind.tools[0])
        self.list.show_stage(self.job.stage, kind.id)
        box = self.box[kind.id]
        if self.panel.currentWidget() is not box:
            self.panel.setCurrentWidget(box)
        box.show_layer(layer)
        self._fit_panel()
        self.strip.show_layer(layer, kind.label)
        self.hatch.show_layer(self.job.job, self.info.id, layer)
        self._later.start()

    def set_low(self, low: bool) -> None:
        self.choice_panel.set_low(low)

    def said(self, job: Job) -> str:
        return _PROPOSED if self._proposed else self.kind.hint

    def empty_text(self) -> str:
        return "Nothing painted on this layer.\n\nIts mask may still act everywhere or by zone: see the strip below."

    def _measure(self) -> None:
        layer, job = self.layer, self.job.job
        if layer is None or not self.in_hand:
            return
        engine, stage_id, kind_id = self.canvas.engine, self.info.id, layer.kind
        self._background.run("readout", lambda task: readout_of(engine, job, stage_id, layer),
                             lambda readout: self._take_readout(kind_id, readout), failed=lambda text: None,
                             newest=True)

    def _take_readout(self, kind_id: str, readout: object) -> None:
        self.box[kind_id].show_readout(readout)
        self._fit_panel()

    def _fit_panel(self) -> None:
        """As high as the box in hand, not as the highest of all."""
        self.panel.currentWidget().layout().activate()
        self.panel.setFixedHeight(self.panel.currentWidget().sizeHint().height())

    # the pen

    def pen_event(self, event: PenEvent) -> bool:
        tool = self.state.tool
        if event.context or event.shift:
            return False
        if tool in _OUTLINED:
            used = self._trail.follow(event, self._outlined)
            self.canvas.update()
            return used
        if tool in ("grow", "pick"):
            if event.kind == "press":
                (self._grow if tool == "grow" else self._pick)(event.x, event.y)
            self.canvas.update()
            return event.kind != "leave"
        return False

    def _outlined(self, trail: list[tuple[float, float]]) -> None:
        corners, tool = np.array(trail, float), self.state.tool
        if len(corners) < 3 or np.ptp(corners, axis=0).min() < _LEAST_SIDE_PX:
            self.message.emit("Draw an outline around the area; a touch alone is no outline.")
            return
        if tool == "reference":
            self._take_reference(corners)
            return
        points = np.column_stack([corners, np.ones(len(corners)), np.zeros(len(corners))])
        state = self.state
        narrow = float(np.ptp(corners, axis=0).min())
        stroke = Stroke(new_id(), tool, state.brush, freeze_points(points), fence=state.fence,
                        feather=min(state.area_feather_px, _MOST_FEATHER * narrow))
        layer = self.job.ensure_layer()
        self.lay(layer, stroke)

    def lay(self, layer: Layer, stroke: Stroke) -> None:
        """An outline becomes part of the mask."""
        stroke = self.desk.strokes.spared.kept_inside(stroke, layer)
        self.job.do(AddEdits(self.info.id, layer.id, (stroke,)))
        self.hatch.flash()

    def _take_reference(self, corners: np.ndarray) -> None:
        """An outline of what a layer goes by; only some stages have any."""

    def _grow(self, x: float, y: float) -> None:
        photo, near = self.canvas.engine.photo, self.canvas.view.visible(self.canvas.picture)
        feather = max(2.0, 2.0 / self.canvas.view.scale)

        def take(fence: Fence | None) -> None:
            if not self.in_hand:
                self.message.emit("The stage was left before the area had grown; nothing was laid down.")
                return
            if fence is None:
                self.message.emit("Nothing grows from here; outline it, or paint it.")
                return
            box = fence.bounds
            corners = [(box.x0, box.y0), (box.x1, box.y0), (box.x1, box.y1), (box.x0, box.y1)]
            points = freeze_points([(a, b, 1.0, 0.0) for a, b in corners])
            stroke = Stroke(new_id(), "grow", self.state.brush, points,
                            fence=fence, feather=1.0)
            self.lay(self.job.ensure_layer(), stroke)

        self.do_beside("grow", "Growing the area …",
                       lambda task: grow_fence(photo, x, y, feather_px=feather, near=near), take)

    def _pick(self, x: float, y: float) -> None:
        """The colour under the pen, of what lies beneath the layer, as the mean of a few pixels."""
        layer = self.job.ensure_layer()
        engine, job, stage_id = self.canvas.engine, self.job.job, self.info.id
        around = Rect(int(x) - _PICK_PX, int(y) - _PICK_PX, int(x) + _PICK_PX + 1, int(y) + _PICK_PX + 1)
        place = around.intersect(engine.photo.bounds)
        if place.empty:
            return

        def work(task) -> np.ndarray:
            pixels = beneath(engine, job, stage_id, layer.id)(place, 0)
            return np.median(srgb_to_lab(pixels).reshape(-1, 3), axis=0)

        self._background.run("pick", work, lambda lab: self._take_colour(layer, lab), failed=self.message.emit,
                             newest=True)

    def _take_colour(self, layer: Layer, lab: np.ndarray) -> None:
        values, says = self.picked(layer, lab)
        if values and any(one.id == layer.id for one in self.job.job.stage(self.info.id).layers):
            self.job.do(SetLayer(self.info.id, layer.id, "settings", values))
        if says:
            self.message.emit(says)

    def picked(self, layer: Layer, lab: np.ndarray) -> tuple[dict, str]:
        """Settings that a picked colour gives a layer, none where it says nothing, and a word for the person."""
        hue = float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)
        if layer.kind == "hues":
            return {"hue": round(hue, 1)}, phrase("Hue %1° picked: all that has it is changed.", f"{hue:.0f}")
        return {}, ""

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if not self.desk.strokes.painting_now:  # what is painted shows by itself, and each paint costs the pen time
            self.hatch.draw(painter, canvas)
        tool = self.state.tool
        if self._trail.places:
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in self._trail.places], taking=tool == "reference")
        elif tool in (*_OUTLINED, "grow", "pick") and canvas.pointer is not None:
            at = canvas.pointer + QPointF(*_STEP_ASIDE)
            draw_tag(painter, at.x(), at.y(), self.prompt(tool))

    def prompt(self, tool: str) -> str:
        return {"reference": "reference: outline skin you trust", "target": "target: outline the skin to match",
                "mask_area": "outline where it is to act", "grow": "touch: grows to the edges",
                "pick": "touch the colour to go by"}[tool]

    def takes_pointer(self) -> bool:
        return self.state.tool in (*_OUTLINED, "grow", "pick")

    def give_up(self) -> None:
        self._trail.drop()

    def idle(self) -> bool:
        return self._background.idle() and self.hatch.idle() and not self._later.isActive()

    def close(self) -> None:
        self._later.stop()
        self.hatch.close()
        self._background.close()


def together(name: str, *commands: Command) -> Command:
    """Several steps as one, or the only one."""
    return commands[0] if len(commands) == 1 else Together(name, commands)
