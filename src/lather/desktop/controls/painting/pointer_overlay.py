"""What stands at the pointer: rings for the brush and its source, and one short sentence."""

import time

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from lather.core.job.model import Stroke
from lather.core.job.source_map import affine
from lather.core.phrases import joined, phrase
from lather.core.stages.adjust.zones import zone_label
from lather.core.tools.registry import TOOLS
from lather.core.types import Rect
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import (
    draw_hatched_stroke,
    draw_inner_ring,
    draw_line,
    draw_link,
    draw_outline,
    draw_ring,
    draw_tag,
    inside_ring,
)
from lather.desktop.controls.painting.laid_preview import STRENGTH
from lather.desktop.controls.painting.spared import LEFT_OUT
from lather.desktop.controls.painting.stroke import StrokeControl
from lather.desktop.input.keys import keyed

_DISAGREES = 0.35
_SEEN_FROM = 6.0  # px of the pointer's radius
_WHOLE, _HARDLY = 0.995, 0.03
_LONG = 1.8  # times the size of its brush, from which a stroke is drawn as a line


def draw_stroke_control(painter: QPainter, canvas: PhotoCanvas, control: StrokeControl) -> None:
    """Everything over the photo; device pixels."""
    scale, stroke = canvas.view.scale, control.stroke
    if stroke is not None and TOOLS[stroke.tool].waits and control.trail:
        points = [canvas.to_screen(x, y) for x, y in control.trail]
        draw_hatched_stroke(painter, points, stroke.brush.size_px * scale, time.monotonic() * 12 % 8)
    if control.shown_source is not None:
        draw_edit(painter, canvas, control.shown_source[0])
        _draw_fit(painter, canvas, *control.shown_source)
    if canvas.pointer is not None and control.last is not None:
        _draw_pointer(painter, canvas, control)


def draw_edit(painter: QPainter, canvas: PhotoCanvas, edit: Stroke, *, quiet: bool = False) -> None:
    """Where an edit lies, and where it takes its skin from. quiet: dashed, without its source."""
    area, size = edit.bounds, edit.brush.size_px
    centre = canvas.to_screen((area.x0 + area.x1) / 2, (area.y0 + area.y1) / 2)
    radius = max(area.width, area.height) / 2 * canvas.view.scale
    if edit.by_outline and len(edit.points) > 2:
        draw_outline(painter, [canvas.to_screen(x, y) for x, y in edit.points[:, :2]], taking=quiet)
    elif max(area.width, area.height) > _LONG * size:
        along = [canvas.to_screen(x, y) for x, y in edit.points[:, :2]]
        draw_line(painter, along, quiet=quiet)
        for end in (along[0], along[-1]):
            draw_ring(painter, end, size / 2 * canvas.view.scale, taking=quiet)
    else:
        draw_ring(painter, centre, radius, taking=quiet)
    if edit.offset is not None and not quiet:
        taken = centre + canvas.on_screen(*edit.offset)
        draw_ring(painter, taken, radius, taking=True)
        draw_link(painter, centre, taken, radius)


def _draw_fit(painter: QPainter, canvas: PhotoCanvas, edit: Stroke, fit: float) -> None:
    area = edit.bounds
    left = edit.offset[0] > 0  # on the side away from the source
    at = canvas.to_screen(area.x0 if left else area.x1, (area.y0 + area.y1) / 2)
    text = phrase("%1 px · skin from here fits %2 %", f"{edit.brush.size_px:.0f}", f"{fit * 100:.0f}")
    draw_tag(painter, at.x() - 12 if left else at.x() + 12, at.y(), text, right=left)


def _draw_pointer(painter: QPainter, canvas: PhotoCanvas, control: StrokeControl) -> None:
    brush, at = control.state.brush, canvas.pointer
    radius = brush.size_px / 2 * canvas.view.scale
    if "take_source" in control.held:
        draw_ring(painter, at, radius, taking=True)
        draw_tag(painter, at.x() + radius + 10, at.y() - radius - 6, "take from here")
        return
    line = control.source.line
    if line:
        draw_link(painter, canvas.to_screen(*line[0]), canvas.to_screen(*line[-1]), 0)
        return
    _draw_source(painter, canvas, control, at, radius)
    hint = control.hover.hint
    if control.state.tool == "sweep" and hint is not None and not control.painting_now:
        way = QPointF(*hint.direction) * max(radius, 24)
        draw_link(painter, at - way, at + way, 0)
    if not control.painting:
        control.preview.draw(painter, at, radius)
    draw_ring(painter, at, radius)
    _draw_left_out(painter, canvas, control, at, radius)
    if brush.edge > 0.05 and radius > 8:
        draw_inner_ring(painter, at, radius * (1 - brush.edge))
    text = pointer_text(control)
    if text and control.shown_source is None:
        draw_tag(painter, at.x() + radius + 10, at.y() - radius - 6, text)


def _draw_left_out(painter: QPainter, canvas: PhotoCanvas, control: StrokeControl, at: QPointF, radius: float) -> None:
    """The outlines of what a stroke begun here would leave out, inside the pointer."""
    place, state = control.last, control.state
    if control.painting_now or radius < _SEEN_FROM:
        return
    half = state.brush.size_px / 2
    area = Rect(int(place.x - half), int(place.y - half), int(place.x + half) + 1, int(place.y + half) + 1)
    fence = control.spared.near(state.tool, control.job.layer, area, place.x, place.y)
    if fence is None:
        return
    with inside_ring(painter, at, radius):
        for ring in fence.rings:  # the rim of what is closed lies outside of the pointer
            draw_outline(painter, [canvas.to_screen(x, y) for x, y in ring], taking=True)


def _draw_source(painter: QPainter, canvas: PhotoCanvas, control: StrokeControl, at: QPointF, radius: float) -> None:
    """The ring where it is taken from, and (not turned) what would be laid down, inside the pointer."""
    state, place = control.state, control.last
    offset = state.offset_at(place.x, place.y) if state.needs_source else None
    turn = state.turned(place.x, place.y)
    if control.painting_now and control.stroke is not None:
        offset, turn = control.stroke.offset, control.stroke.turn
    if offset is None:
        return
    if not control.painting_now and turn is None and control.preview.shown is None:
        painter.setOpacity(STRENGTH)
        canvas.draw_source_inside(painter, at, radius, offset)
        painter.setOpacity(1.0)
    x, y = affine(offset, turn) @ (place.x, place.y, 1)
    draw_ring(painter, canvas.to_screen(float(x), float(y)), radius / (turn.scale if turn else 1), taking=True)


def pointer_text(control: StrokeControl) -> str:
    """What is to be known before (or while) the pen is down here; "" where nothing is."""
    state, place = control.state, control.last
    keeper = None
    if place is not None and TOOLS[state.tool].lays_over_keepers:
        keeper = control.keeper_near(place.x, place.y, state.brush.size_px / 2)
    if keeper is not None:
        return phrase("keeper here: %1", keeper.label.lower())
    if control.painting_now:
        return "the border does not fit here" if control.disagreement > _DISAGREES else ""
    if control.values.active:
        return control.values.text()
    idle = control.would_do_nothing()
    if idle:
        return idle
    if state.needs_source and state.source is None:
        return keyed("hold {take_source} and touch the skin to take")
    if state.needs_source and control.hover.warning:
        return control.hover.warning
    if place is not None and control.spared.here(state.tool, control.job.layer, place.x, place.y):
        return keyed(LEFT_OUT)
    off = control.spared.off_its_parts(control.job.layer, place.x, place.y) if place is not None else ()
    if off:
        return keyed(phrase("only on %1 here: hold {also_parts} to paint elsewhere",
                            joined((zone_label(part).lower() for part in off), ", ")))
    if _outside_fence(control):
        return "outside the fence: nothing will be laid"
    if state.tool == "sweep" and control.hover.hint is not None:
        return phrase("along the line · about %1 px wide (tap S)", f"{control.hover.hint.size_px:.0f}")
    own = control.stage_text()
    if own:
        return own
    strength = control.effective_strength()
    if strength < _HARDLY:
        return phrase("only %1 % in one stroke", f"{strength * 100:.0f}")
    return phrase("%1 % in one stroke", f"{strength * 100:.0f}") if strength < _WHOLE else ""


def _outside_fence(control: StrokeControl) -> bool:
    fence, place = control.state.fence, control.last
    if fence is None or place is None:
        return False
    return not fence.reaches(place.x, place.y, control.state.brush.size_px / 2)
