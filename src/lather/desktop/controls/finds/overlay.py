"""Finds over the photo: the one in hand with its ring, open ones quietly, keepers with a flag, hairs with lines."""

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from lather.core.job.finds import Find, contrast_text, size_text
from lather.core.mending.edit_for_find import proposed_size
from lather.core.phrases import joined
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.canvas.pointer import draw_flag, draw_line, draw_open, draw_outline, draw_ring, draw_tag
from lather.desktop.controls.finds.finds import FindsControl


def draw_finds(painter: QPainter, canvas: PhotoCanvas, found: FindsControl) -> None:
    scale = canvas.view.scale
    if found.marks and found.job.stage_id == "mend":
        _draw_marks(painter, canvas, found)
    if any(find.kind == "stray_hair" for find in found.finds):
        _draw_hairs(painter, canvas, found)
    if found.current is None or found.mending.lingering:
        return
    find = found.current
    at = canvas.to_screen(find.x, find.y)
    radius = max(6.0, (proposed_size(find) if find.path is None else find.size_px) / 2 * scale)
    if find.path is None:
        draw_ring(painter, at, radius)
    else:
        draw_outline(painter, _on_screen(canvas, find.outline))
    if found.states().get(find.id) != "mended":
        draw_tag(painter, at.x() + radius + 12, at.y(), _said_of(find))


def _draw_marks(painter: QPainter, canvas: PhotoCanvas, found: FindsControl) -> None:
    """What is open in the list, and what stays; in Mend, where it is decided."""
    states, scale = found.states(), canvas.view.scale
    for find in found.shown():
        if states[find.id] == "open" and find is not found.current:
            if find.path is None:
                draw_open(painter, canvas.to_screen(find.x, find.y), proposed_size(find) / 2 * scale)
            else:
                draw_line(painter, _on_screen(canvas, find.path), quiet=True)
    for find in found.job.job.keepers():
        draw_flag(painter, canvas.to_screen(find.x, find.y), find.size_px / 2 * scale)


def _said_of(find: Find) -> str:
    return joined([find.label, size_text(find), contrast_text(find)], " · ")


def _draw_hairs(painter: QPainter, canvas: PhotoCanvas, found: FindsControl) -> None:
    """Every hair of the list: a line along it; those that stay or are skipped dashed."""
    states = found.states()
    for find in found.finds:
        if states[find.id] != "mended" and find.path is not None:
            draw_line(painter, _on_screen(canvas, find.path), quiet=states[find.id] != "open")


def _on_screen(canvas: PhotoCanvas, places) -> list[QPointF]:
    return [canvas.to_screen(x, y) for x, y in places]
