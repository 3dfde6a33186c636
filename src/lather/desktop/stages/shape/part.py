"""Shape on the desk: measures at the left and on the photo, held zones, lines behind, and who may reshape at all."""

import time
from dataclasses import replace

import numpy as np
from PyQt6.QtGui import QPainter

from lather.core.job.agreements import denied
from lather.core.job.commands import AddEdits, AddLayer, Command, Together
from lather.core.job.delivered import long_edge_cm, mm_per_px
from lather.core.job.limits import band
from lather.core.job.model import Job, Layer, Stroke, new_id
from lather.core.job.purpose import MEASURES_LAYER, line_of
from lather.core.lengths import small_text
from lather.core.measure.lines_behind import lines_behind
from lather.core.people.hands import hand_outlines
from lather.core.phrases import joined, phrase
from lather.core.stages.base import STILL
from lather.core.stages.shape import holds, measures
from lather.core.stages.shape.kind import next_order
from lather.core.stages.shape.layers import held_map
from lather.core.stages.shape.lines import hold_of
from lather.core.stages.shape.mirror import mirror_at
from lather.core.stages.shape.moves import expect_loops
from lather.core.stages.shape.readout import Moves, moves_of
from lather.core.tools.straighten import TOOL as LINE_HOLD
from lather.core.types import tiles_of
from lather.desktop import settings
from lather.desktop.background import Background, Task
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.hatch import draw_hatch, hatched
from lather.desktop.canvas.pointer import draw_hatched_stroke, draw_ring, draw_tag
from lather.desktop.input.pen import PenEvent
from lather.desktop.stages.base import StagePart
from lather.desktop.stages.shape.bend_note import BendNote
from lather.desktop.stages.shape.line_drawing import LineDrawing
from lather.desktop.stages.shape.measures_panel import MeasuresPanel
from lather.desktop.stages.shape.overlay import Point, draw_axis, draw_bends, draw_points, points_of
from lather.desktop.stages.shape.panel import ShapePanel
from lather.desktop.stages.shape.permission import CAUTIONS, Permission
from lather.desktop.stages.shape.piece import Piece
from lather.desktop.stages.shape.point_drag import PointDrag
from lather.desktop.texts import tr

_BY_HAND = "By hand"
_HARMLESS = ("hold", "let_go", "settle", "straighten")


class ShapePart(StagePart):
    list_name = "Measures"
    empty = ("Nothing is moved on this layer yet.\n\nPush the form along a little at a time, or set a measure at the "
             "left.")
    hint = ("A push moves both sides alike across the dashed axis, and stops where skin would fold. Pick a measure to "
            "drag it by its points.")

    def __init__(self, info, desk, parent=None):
        super().__init__(info, desk, parent)
        self.state = desk.strokes.state
        self.panel, self.list_panel = ShapePanel(), MeasuresPanel()
        self.note = BendNote(self.canvas)
        self.piece, self.line = Piece(self.canvas, self), LineDrawing(self.canvas, self)
        self.drag, self.permission = PointDrag(self.canvas), Permission(self.canvas, self.message.emit)
        self._connect()
        self._background = Background(self)
        self.picked, self.singly = "", False
        self.moves, self.lines = Moves(), []
        self._lines_of: object = None
        self._zones: dict[str, list[np.ndarray]] = {}
        self._hatch = None
        self._preview: Command | None = None
        self.job.changed.connect(self._job_changed)
        desk.measured.ready.connect(self._look_behind)
        self.canvas.view_changed.connect(self.note.place)

    def _connect(self) -> None:
        panel = self.list_panel
        panel.moved.connect(self._measure_moved)
        panel.picked.connect(self._pick)
        panel.singly_chosen.connect(self._set_singly)
        panel.cleared.connect(lambda: self._do(measures.clear_command(self.job.job)))
        panel.evened.connect(lambda: self._do(measures.even_command(self.job.job)))
        panel.zone_held.connect(self._hold_zone)
        self.panel.line_held.connect(lambda bend: self._hold_lines([bend]))
        self.panel.all_held.connect(lambda: self._hold_lines(self.moves.bends))
        self.note.held.connect(lambda bend: self._hold_lines([bend]))
        self.piece.drawn.connect(self._stretched)
        self.line.drawn.connect(self._hold_drawn)
        for control in (self.piece, self.line):
            control.message.connect(self.message)

    # what is known of the photo

    def chosen(self) -> None:
        self._look_behind()
        engine, canvas, job = self.canvas.engine, self.canvas, self.job.job
        tiles = tiles_of(canvas.view.visible(canvas.picture, canvas.level))
        self._background.run("beneath", lambda task: _make_tiles(task, engine, job, canvas.level, tiles),
                             lambda _: None, failed=self.message.emit, newest=True)
        self._job_changed(self.job.job)
        caution = CAUTIONS.get(self._kind)
        if caution:
            self.message.emit(caution)

    def _look_behind(self) -> None:
        """Lines, hands and the person's outline, once for each photo and face."""
        known = self.desk.measured.measures
        if known is None or known is self._lines_of or not self.in_hand:
            return
        self._lines_of = known
        outline = self.canvas.engine.outline
        self._background.run("lines", lambda task: (lines_behind(known), outline().rings, hand_outlines(known.people)),
                             self._take_lines, failed=self.message.emit, newest=True)

    def _take_lines(self, found: tuple) -> None:
        self.lines, rings, hands = found
        self._zones = holds.outlines_of(self.job.job.face_map, rings, hands)
        self._job_changed(self.job.job)

    def _job_changed(self, job: Job) -> None:
        self._preview = None
        if not self.in_hand:
            self.note.show_bend(None)
            return
        engine, lines = self.canvas.engine, tuple(self.lines)
        self._background.run("moves", lambda task: (job, moves_of(engine, job, lines), _hatch_of(engine, job)),
                             self._take_moves, failed=self.message.emit, newest=True)

    def _take_moves(self, found: tuple) -> None:
        job, self.moves, self._hatch = found
        if job is self.job.job:
            self.show_job()
            self.canvas.update()

    # who may

    def begun(self, stroke: Stroke) -> Stroke | None:
        if stroke.tool not in _HARMLESS and not self._may_move():
            return None
        self._pick("")
        layer = self.job.layer
        if layer is None or layer.purpose == MEASURES_LAYER:
            self._take_layer_by_hand()
        face = self.job.job.face_map
        if not self.state.mirrors or face is None:
            return stroke
        x, y = stroke.points[0, :2]
        return replace(stroke, mirror=mirror_at(face, float(x), float(y)))

    def _may_move(self) -> bool:
        return self.permission.given(self._kind, denied(self.job.job.brief, "reshaping"))

    def _take_layer_by_hand(self) -> None:
        own = next((x for x in reversed(self.job.stage.layers)
                    if x.purpose != MEASURES_LAYER and x.kind == "shape"), None)
        if own is None:
            self.job.add_layer(_BY_HAND)
        else:
            self.job.choose_layer(own.id)

    def _do(self, command: Command | None) -> None:
        if command is not None:
            self.job.do(command)
        else:
            self._show_as_is()

    # measures

    def _pick(self, name: str) -> None:
        if name != self.picked:
            self.picked = name
            self.show_job()
            self.canvas.update()

    def _set_singly(self, on: bool) -> None:
        self.singly = on
        self.show_job()

    def _measure_moved(self, name: str, sides, percent: float, dragging: bool) -> None:
        """Shown at once; it becomes a step when the knob is let go."""
        if not dragging and measures.most_percent(self._kind) == 0:
            return
        command = measures.set_command(self.job.job, measures.BY_ID[name], sides, percent)
        if dragging:
            self._show(command)
        else:
            self._do(command)

    def _show(self, command: Command | None) -> None:
        """Show the job with a step that is not taken yet."""
        self._preview = command
        self.canvas.set_job(self.job.job if command is None else command.apply(self.job.job))

    def _show_as_is(self) -> None:
        if self._preview is not None:
            self._show(None)
        self.show_job()

    @property
    def _kind(self) -> str | None:
        return self.job.job.brief.get("kind")

    def _shown_job(self) -> Job:
        return self.job.job if self._preview is None else self._preview.apply(self.job.job)

    # held

    def _hold_zone(self, zone: str, on: bool) -> None:
        if not on:
            self._do(holds.let_go_command(self.job.job, zone))
        elif zone in self._zones:
            if self.job.layer is None or self.job.layer.purpose == MEASURES_LAYER:
                self._take_layer_by_hand()
            layer, face = self.job.ensure_layer(), self.job.job.face_map
            px = face.width_px if face is not None else self.desk.measured.measures.face_width_px
            self._do(holds.hold_command(self.job.job, layer, zone, self._zones[zone], px))
            self.message.emit(phrase("%1 held: nothing moves there from now on; what was moved stays.",
                                     holds.ZONES[zone]))

    def _held_lines(self) -> set[str]:
        return {line_of(edit.purpose) for layer in self.job.job.stage("shape").layers for edit in layer.edits
                if edit.tool == LINE_HOLD.id}

    def _hold_lines(self, bends) -> None:
        held = self._held_lines()
        order = next_order(self.job.job)
        edits = [hold_of(bend.parts, bend.name, order) for bend in bends if bend.name not in held]
        self._add(edits, "hold line" if len(edits) == 1 else phrase("hold %1 lines", len(edits)))

    def _add(self, edits: list[Stroke], label: str) -> None:
        if not edits:
            return
        stage = self.job.job.stage("shape")
        by_hand = [x for x in stage.layers if x.kind == "shape" and x.purpose != MEASURES_LAYER]
        layer = next((x for x in by_hand if x.id == self.job.layer_id), by_hand[-1] if by_hand else None)
        commands: list[Command] = []
        if layer is None:
            layer = Layer(new_id(), _BY_HAND, "shape")
            commands.append(AddLayer("shape", layer, len(stage.layers)))
        commands.append(AddEdits("shape", layer.id, tuple(edits)))
        self.job.do(Together(label, tuple(commands)))

    # a piece, a line, a point: what the pen does besides brushing

    def pen_event(self, event: PenEvent) -> bool:
        if self.drag.point is not None:
            self._drag_on(event)
            return True
        if self.state.tool == LINE_HOLD.id:
            return self.line.pen_event(event, self.lines)
        if self.state.tool == "stretch":
            may = event.kind != "press" or event.context or self._may_move()
            return self.piece.pen_event(event) if may else True
        pressed = event.kind == "press" and not event.context
        own = [point for point in self._points() if point.measure == self.picked]  # others leave the brush alone
        point = self.drag.at(event, own) if pressed else None
        if point is None or not self._may_move():
            return False
        self.drag.begin(point, event)
        self._pick(point.measure)
        return True

    def _points(self) -> list[Point]:
        face = self.job.job.face_map
        if face is None or not face.mesh or measures.most_percent(self._kind) == 0:
            return []
        job = self._shown_job()
        shown = [m.id for m in measures.MEASURES[: measures.FIRST]]
        if self.picked and self.picked not in shown:
            shown.append(self.picked)
        return points_of(face, shown, measures.values(job, face))

    def _drag_on(self, event: PenEvent) -> None:
        if event.kind == "leave":
            return
        point = self.drag.point
        measure = measures.BY_ID[point.measure]
        sides = (point.side,) if self.singly else measure.sides
        percent = self.drag.percent(event, self.job.job.face_map)
        command = measures.set_command(self.job.job, measure, sides, percent)
        if event.kind == "release":
            self.drag.point = None
            self._do(command)
        else:
            self._show(command)

    def _stretched(self, stroke: Stroke, finished: bool) -> None:
        if self.job.layer is None or self.job.layer.purpose == MEASURES_LAYER:
            self._take_layer_by_hand()
        layer = self.job.ensure_layer()
        edit = replace(stroke, order=next_order(self.job.job))
        command = Together("stretch", (AddEdits("shape", layer.id, (edit,)),))
        if finished:
            self._do(command)
        else:
            self._show(command)

    def _hold_drawn(self, parts, name: str) -> None:
        if name in self._held_lines() and name != "Line by hand":
            self.message.emit(phrase("%1 is held already.", name))
        else:
            self._add([hold_of(parts, name, next_order(self.job.job))], "hold line")

    def give_up(self) -> None:
        self.piece.drop()
        self.line.drop()
        self.drag.point, self.picked = None, ""
        self._show_as_is()
        self.canvas.update()

    # what is shown

    def show_job(self) -> None:
        job = self._shown_job()
        face, kind = job.face_map, self._kind
        known = face is not None and bool(face.mesh)
        values = measures.values(job, face) if known else None
        most = measures.most_percent(kind)
        held = holds.held_zones(job)
        self.list_panel.show_state(values, most, self.picked, self.singly, self._facts(face) if known else "",
                                   self._limits_text(most), {zone: zone in held for zone in self._zones})
        self.panel.show_moves(self.moves, kind, long_edge_cm(job.brief))
        self.panel.show_lines(self.moves.bends, self._held_lines(), self._background.running("lines"))
        worst = self.moves.worst_bend if self.canvas.mode == "after" else None
        self.note.show_bend(worst, worst is not None and worst.name in self._held_lines())

    def _limits_text(self, most: float) -> str:
        kind = self._kind or "this job"
        agreed = self.job.job.brief.get("agreed_moves")
        why = band(self._kind, "measure_each").why
        limit = phrase("Most each way %1 % for %2.", f"{most:.1f}", kind)
        if not most:
            limit = phrase("None for %1: %2.", kind, why)
        told = phrase("Agreed in the brief: %1.", agreed) if agreed else phrase("Nothing agreed in the brief yet.")
        return joined([limit, told])

    def _facts(self, face) -> str:
        """What the measure in hand is on the photo and now."""
        if not self.picked:
            return ""
        measure, warp = measures.BY_ID[self.picked], self.canvas.engine.warp(self._shown_job())
        mm = mm_per_px(self.job.job.brief, self.canvas.picture) * face.width_px / 100
        lines = []
        one = len({tuple(ends) for ends in measure.between.values()}) == 1
        for side in measure.sides[:1] if one else measure.sides:
            before = measures.distance(measure, face, side)
            now = measures.distance(measure, face, side, None if warp is STILL else warp.to_above)
            name = f"{side}: " if side and not one else ""
            lines.append(f"{name}{before:.1f} → {now:.1f} % · "
                         f"{small_text(now * mm, settings.value('length'), 0)}")
        return "\n".join(lines)

    def pointer_text(self) -> str:
        place, warp = self.desk.strokes.last, self.canvas.engine.warp(self.job.job)
        if place is None or warp is STILL:
            return "" if self.state.tool not in ("hold", "let_go") else "held from later moves"
        there = np.array([place.x, place.y])
        moved = float(np.hypot(*(warp.to_above(there) - there)))
        if moved < 0.1:
            return "not moved here"
        face = self.job.job.face_map
        return phrase("moved %1 px here",
                      f"{moved:.0f}") + (f" · {100 * moved / face.width_px:.1f} %" if face is not None else "")

    def draw(self, painter: QPainter, canvas: PhotoCanvas) -> None:
        if self._hatch is not None:
            draw_hatch(painter, canvas, self._hatch)
        draw_bends(painter, canvas, self.moves.bends, self._held_lines())
        face = self.job.job.face_map
        stroke = self.desk.strokes.stroke
        if stroke is not None and stroke.tool in ("hold", "let_go"):
            trail = [canvas.to_screen(x, y) for x, y in self.desk.strokes.trail]
            draw_hatched_stroke(painter, trail, stroke.brush.size_px * canvas.view.scale, time.monotonic() * 12 % 8)
        if face is not None and face.mesh:
            if self.state.mirrors:
                draw_axis(painter, canvas, face)
                self._draw_other_ring(painter, canvas, face)
            if not self.desk.strokes.painting_now:
                draw_points(painter, canvas, face, self._points(), self.picked)
        if self.drag.point is not None:
            values = measures.values(self._shown_job(), face)
            self.drag.draw(painter, canvas, face, values.get((self.drag.point.measure, self.drag.point.side), 0.0))
        if self.state.tool == "stretch":
            self.piece.draw(painter, canvas)
        elif self.state.tool == LINE_HOLD.id:
            self.line.draw(painter, canvas)
        self._draw_held(painter)

    def _draw_held(self, painter: QPainter) -> None:
        held = holds.held_zones(self.job.job)
        if held:
            named = joined((holds.ZONES[zone].lower() for zone in holds.ZONES if zone in held), ", ")
            draw_tag(painter, 12, 22, tr("Held: %1 · hatched", named))

    def _draw_other_ring(self, painter: QPainter, canvas: PhotoCanvas, face) -> None:
        """Where the other side is moved."""
        at = self.desk.strokes.last
        if at is None or canvas.pointer is None:
            return
        start = self.desk.strokes.stroke
        there = start.mirror if start is not None else mirror_at(face, at.x, at.y)
        if there is None:
            return
        a, b, c, d, x, y = there
        place = a * at.x + b * at.y + x, c * at.x + d * at.y + y
        wide = abs(a * d - b * c) ** 0.5
        radius = wide * self.state.brush.size_px / 2 * canvas.view.scale
        draw_ring(painter, canvas.to_screen(*place), radius, taking=True)

    def takes_pointer(self) -> bool:
        return self.state.tool in ("stretch", LINE_HOLD.id) or self.drag.point is not None

    def idle(self) -> bool:
        return self._background.idle()

    def close(self) -> None:
        self._background.close()


def _make_tiles(task: Task, engine, job: Job, level: int, tiles: list[tuple[int, int]]) -> None:
    """The picture beneath in sight: the first move is fetched from it, by loops that are there by then."""
    expect_loops()
    for column, row in tiles:
        if not task.going_on:
            return
        engine.tile(job, "colour", level, column, row)


def _hatch_of(engine, job: Job):
    """What is held, as a hatch over the photo; None where nothing is."""
    held = held_map(engine, job)
    return None if held is None else hatched(held)
